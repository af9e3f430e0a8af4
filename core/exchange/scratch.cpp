#include "exchange/scratch.h"

#include <fcntl.h>
#include <unistd.h>

#include <cerrno>
#include <cstdlib>
#include <cstring>

namespace heron::exchange {
namespace {

/// What lies there is large, and /tmp is memory on many machines.
std::string folder() {
  const char* const wanted = std::getenv("TMPDIR");
  return wanted && *wanted ? wanted : "/var/tmp";
}

}  // namespace

Result<std::shared_ptr<Scratch>> Scratch::make() {
  auto name = folder() + "/heron-XXXXXX";
  const int file = mkostemp(name.data(), O_CLOEXEC);
  if (file < 0)
    return fail(Fault::input, "A long table needs room beside it, and no file can be made in {} ({}); set TMPDIR to a folder on the disk.",
                folder(), std::strerror(errno));
  unlink(name.c_str());
  return std::shared_ptr<Scratch>(new Scratch(file));
}

Scratch::~Scratch() { close(file_); }

Result<void> Scratch::flush() {
  const auto* at = reinterpret_cast<const char*>(pending_.data());
  for (std::size_t left = pending_.size() * sizeof(double), to = stored_ * sizeof(double); left > 0;) {
    const auto wrote = pwrite(file_, at, left, off_t(to));
    if (wrote < 0 && errno == EINTR) continue;
    if (wrote <= 0)
      return fail(Fault::input, "A long table needs room beside it, and {} has no more ({}); make room or set TMPDIR to another folder.",
                  folder(), std::strerror(errno));
    at += wrote;
    left -= std::size_t(wrote);
    to += std::size_t(wrote);
  }
  stored_ += pending_.size();
  pending_.clear();
  return {};
}

Result<void> Scratch::read(std::size_t first, std::span<double> out) const {
  if (first > stored_ || out.size() > stored_ - first)
    return fail(Fault::usage, "There are {} numbers; {} from {} on were asked for.", stored_, out.size(), first);
  auto* to = reinterpret_cast<char*>(out.data());
  for (std::size_t left = out.size() * sizeof(double), at = first * sizeof(double); left > 0;) {
    const auto came = pread(file_, to, left, off_t(at));
    if (came < 0 && errno == EINTR) continue;
    if (came <= 0) return fail(Fault::input, "Numbers that were laid in {} cannot be read back ({}).", folder(), std::strerror(errno));
    to += came;
    left -= std::size_t(came);
    at += std::size_t(came);
  }
  return {};
}

}  // namespace heron::exchange
