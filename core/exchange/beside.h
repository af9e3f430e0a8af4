#pragma once
#include <unistd.h>

#include <filesystem>
#include <fstream>
#include <string>

#include "base/result.h"

namespace heron::exchange {

/// Writes beside the target what `fill(stream)` gives, and moves it into place.
template <class Fill>
Result<void> write_beside(const std::string& path, Fill fill) {
  const std::string part = fmt::format("{}.part{}", path, getpid());
  std::error_code fault;
  Result<void> filled;
  {
    std::ofstream out(part, std::ios::binary);
    filled = fill(out);
    out.flush();
    if (filled && !out) filled = fail(Fault::input, "{}: the file cannot be written; is the folder there and the disk not full?", path);
  }
  if (filled) {
    std::filesystem::rename(part, path, fault);
    if (fault) filled = fail(Fault::input, "{}: the file cannot be written: {}", path, fault.message());
  }
  if (!filled) std::filesystem::remove(part, fault);
  return filled;
}

}  // namespace heron::exchange
