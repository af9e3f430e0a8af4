#pragma once
#include "study/iv/curve.h"
#include "study/reduced.h"

namespace heron::study::iv {

/// What a take of current against voltage came to.
class ReducedFamily final : public Reduced {
 public:
  explicit ReducedFamily(Family family) : family_(std::move(family)) {}

  const Family& family() const { return family_; }

  Result<Analysis> read(const SettingsText& settings, const std::vector<std::string>& asked) const override;
  bool quick() const override;
  Columns small() const override;
  std::optional<Record> readings() const override;
  std::size_t bytes() const override;

 private:
  Family family_;
};

Result<std::unique_ptr<Reducer>> reducer(const SettingsText& settings);

}  // namespace heron::study::iv
