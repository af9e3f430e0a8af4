#pragma once
#include <memory>

#include "study/samples.h"

/// Numbers of a file that is read, on the disk instead of in memory.
namespace heron::exchange {

/// A file that has no name and goes with its last user, in $TMPDIR or else /var/tmp.
class Scratch final : public study::StoredNumbers {
 public:
  /// @return Fault::input where no file can be made there
  static Result<std::shared_ptr<Scratch>> make();
  ~Scratch() override;

  /// @return Fault::input where the disk is full
  Result<void> add(double number) {
    pending_.push_back(number);
    return pending_.size() < study::kStretch ? Result<void>() : flush();
  }
  /// Writes what is pending; before anybody reads.
  Result<void> flush();

  std::size_t size() const override { return stored_ + pending_.size(); }
  Result<void> read(std::size_t first, std::span<double> out) const override;

 private:
  explicit Scratch(int file) : file_(file) { pending_.reserve(study::kStretch); }

  int file_;
  std::size_t stored_ = 0;
  std::vector<double> pending_;
};

}  // namespace heron::exchange
