#pragma once
#include <fmt/format.h>

#include <string>
#include <tl/expected.hpp>
#include <utility>

namespace heron {

/// What kind of thing went wrong; decides the exit status of `heron` and whether a retry can help.
enum class Fault {
  usage,    ///< the caller asked for something that does not exist or cannot be combined
  input,    ///< a file, a value or a set-up cannot be read or makes no sense
  bench,    ///< the bench failed or refused
  stopped,  ///< the user stopped the work; what was read is kept
};

/// A failure as a value. The message says what happened, what it means and what to do, in one line.
struct Error {
  Fault fault = Fault::input;
  std::string message;

  bool operator==(const Error&) const = default;
};

/// A value or an error. Dropping one unread is a mistake that the compiler tells.
template <class T>
class [[nodiscard]] Result : public tl::expected<T, Error> {
 public:
  using Base = tl::expected<T, Error>;
  using Base::Base;
  Result() = default;
  Result(const Base& from) : Base(from) {}
  Result(Base&& from) : Base(std::move(from)) {}
};

/// `return fail(Fault::input, "the sweep stops at {} below its start", text);`
template <class... Args>
[[nodiscard]] tl::unexpected<Error> fail(Fault fault, fmt::format_string<Args...> text, Args&&... args) {
  return tl::unexpected<Error>(Error{fault, fmt::format(text, std::forward<Args>(args)...)});
}

}  // namespace heron
