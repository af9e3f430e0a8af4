#pragma once
#include <mutex>
#include <optional>

#include "base/result.h"
#include "study/columns.h"

namespace heron::study {

/// What a take's records were read as last, for whoever asks with the same settings again; from any thread.
template <class T>
class LastRead {
 public:
  /// @param read  reads them: Result<T>(); what it fails with is not kept
  template <class Read>
  Result<T> with(const SettingsText& settings, Read read) const {
    {
      const std::lock_guard lock(mutex_);
      if (last_ && settings_ == settings) return *last_;
    }
    // Unlocked, for it may take long: whoever asks meanwhile reads for himself.
    Result<T> out = read();
    if (!out) return out;
    const std::lock_guard lock(mutex_);
    settings_ = settings;
    last_ = *out;
    return out;
  }

  /// Whatever it was read with.
  std::optional<T> kept() const {
    const std::lock_guard lock(mutex_);
    return last_;
  }

 private:
  mutable std::mutex mutex_;
  mutable SettingsText settings_;
  mutable std::optional<T> last_;
};

}  // namespace heron::study
