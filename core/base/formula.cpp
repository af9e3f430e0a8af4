#include "base/formula.h"

#include <muParser.h>

#include <cctype>
#include <limits>
#include <numbers>

namespace heron {

struct Formula::Impl {
  std::string text;
  std::vector<double> values;
  std::vector<bool> used;
  mu::Parser parser;
};

Formula::Formula(std::unique_ptr<Impl> impl) : impl_(std::move(impl)) {}
Formula::Formula(Formula&&) noexcept = default;
Formula& Formula::operator=(Formula&&) noexcept = default;
Formula::~Formula() = default;

bool formula_name(std::string_view name) {
  const auto letter = [](unsigned char c) { return std::isalpha(c) || c == '_'; };
  return !name.empty() && letter(static_cast<unsigned char>(name.front())) &&
         std::all_of(name.begin(), name.end(), [&](unsigned char c) { return letter(c) || std::isdigit(c); });
}

Result<Formula> Formula::read(const std::string& text, const std::vector<std::string>& names) {
  if (text.size() > 500) return fail(Fault::input, "The formula is too long; 500 characters are the most.");
  if (text.find_first_not_of(" \t\r\n") == std::string::npos) return fail(Fault::input, "The formula is empty.");
  // The parser recurses into brackets and signs; what nests deeper than a person writes could exhaust the stack.
  int depth = 0, run = 0;
  for (const char c : text) {
    depth += c == '(' ? 1 : c == ')' ? -1 : 0;
    run = c == '-' || c == '+' || c == '!' || c == '?' ? run + 1 : c == ' ' ? run : 0;
    if (depth > 50 || run > 20) return fail(Fault::input, "The formula nests too deeply.");
  }
  auto impl = std::make_unique<Impl>();
  impl->text = text;
  impl->values.assign(names.size(), 0.0);
  impl->used.assign(names.size(), false);
  try {
    impl->parser.DefineConst("pi", std::numbers::pi);
    for (std::size_t i = 0; i < names.size(); ++i) {
      if (!formula_name(names[i]))
        return fail(Fault::input, "\"{}\" cannot stand in a formula; a name has letters, digits and _.", names[i]);
      if (names[i] != "pi") impl->parser.DefineVar(names[i], &impl->values[i]);
    }
    impl->parser.SetExpr(text);
    for (const auto& [name, place] : impl->parser.GetUsedVar())
      for (std::size_t i = 0; i < names.size(); ++i)
        if (names[i] == name) impl->used[i] = true;
    impl->parser.Eval();
    if (impl->parser.GetNumResults() != 1) return fail(Fault::input, "The formula \"{}\" gives several values.", text);
  } catch (const mu::ParserError& e) {
    return fail(Fault::input, "The formula \"{}\" cannot be read: {}", text, e.GetMsg());
  }
  return Formula(std::move(impl));
}

double Formula::operator()(std::span<const double> values) const {
  for (std::size_t i = 0; i < impl_->values.size(); ++i) impl_->values[i] = values[i];
  try {
    return impl_->parser.Eval();
  } catch (const mu::ParserError&) {
    return std::numeric_limits<double>::quiet_NaN();
  }
}

bool Formula::uses(std::size_t name) const { return impl_->used[name]; }

const std::string& Formula::text() const { return impl_->text; }

}  // namespace heron
