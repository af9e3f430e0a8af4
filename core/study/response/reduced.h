#pragma once
#include "study/reduced.h"
#include "study/response/reduce.h"

namespace heron::study::response {

/// Gain and phase over frequency.
Columns as_columns(const Curve& curve);

/// What a take of a response came to.
class ReducedResponse final : public Reduced {
 public:
  explicit ReducedResponse(Curve curve) : curve_(std::move(curve)) {}

  const Curve& curve() const { return curve_; }

  Result<Analysis> read(const SettingsText& settings, const std::vector<std::string>& asked) const override;
  bool quick() const override;
  Columns small() const override;
  std::optional<NetworkCurve> network() const override;
  std::size_t bytes() const override;

 private:
  Curve curve_;
};

Result<std::unique_ptr<Reducer>> reducer(const SettingsText& settings);

}  // namespace heron::study::response
