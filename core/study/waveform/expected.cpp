#include "study/waveform/expected.h"

#include <algorithm>
#include <cmath>

#include "base/formula.h"

namespace heron::study::waveform {
namespace {

constexpr int kPlaces = 600;
constexpr double kCoverage = 2;  ///< standard uncertainties: about 95 %
constexpr double kMove = 1e-4;   ///< of a part's value, for what it is worth

}  // namespace

Result<std::shared_ptr<const ExpectedWaveforms>> expected_waveforms(const Plan& plan, const Surroundings& around,
                                                                    const Settings& settings, std::stop_token stop) {
  if (settings.expected.empty()) return std::shared_ptr<const ExpectedWaveforms>();
  auto out = std::make_shared<ExpectedWaveforms>();
  out->source = "its formula";
  const double before = plan.when == When::at_once ? 0 : plan.before * plan.length;
  for (int k = 0; k <= kPlaces; ++k) out->time.push_back(plan.length * k / kPlaces - before);
  const auto parts = around.formula_values();
  const auto uncertainties = around.formula_uncertainties();
  std::vector<std::string> names = {"t"};
  std::vector<double> values = {0};
  for (const auto& [name, value] : parts) {
    names.push_back(name);
    values.push_back(value);
  }
  for (const auto& [quantity, text] : settings.expected) {
    const auto formula = Formula::read(text, names);
    if (!formula) return fail(Fault::input, "expected.{}: {}", quantity, formula.error().message);
    ExpectedWaveforms::Curve curve{.quantity = quantity, .unit = plan.hookup.unit_of(quantity).value_or("V"), .value = {}, .low = {}, .high = {}};
    for (const double t : out->time) {
      if (stop.stop_requested()) return fail(Fault::stopped, "Stopped.");
      values[0] = t;
      const double at = (*formula)(values);
      double squares = 0;
      for (std::size_t k = 1; k < names.size(); ++k) {
        const auto u = uncertainties.find(names[k]);
        if (u == uncertainties.end() || !formula->uses(k)) continue;
        const double own = std::exchange(values[k], values[k] * (1 + kMove));
        squares += std::pow(((*formula)(values) - at) / kMove * u->second, 2);
        values[k] = own;
      }
      const double band = kCoverage * std::sqrt(squares);
      curve.value.push_back(at);
      curve.low.push_back(at - band);
      curve.high.push_back(at + band);
    }
    out->curves.push_back(std::move(curve));
  }
  return std::shared_ptr<const ExpectedWaveforms>(std::move(out));
}

}  // namespace heron::study::waveform
