#include "study/response/reduced.h"

#include <algorithm>

#include "base/quantity.h"
#include "study/response/assembly.h"
#include "study/response/figures.h"
#include "study/response/kind.h"

namespace heron::study::response {

Columns as_columns(const Curve& curve) {
  Columns out{.x_name = "frequency", .x_unit = "Hz", .x = curve.frequencies()};
  Columns::Column gain{"gain", "dB", curve.gains(), {}}, phase{"phase", "deg", curve.phases(), {}};
  const bool certain = !curve.points.empty() && std::all_of(curve.points.begin(), curve.points.end(), [](const CurvePoint& p) {
    return p.u_gain_db && p.u_phase_deg;
  });
  for (std::size_t i = 0; certain && i < curve.points.size(); ++i) {
    const auto& p = curve.points[i];
    gain.u.push_back(*p.u_gain_db);
    phase.u.push_back(*p.u_phase_deg);
    for (const auto& e : p.shared) {
      const auto put = [&](Columns::Column& column, double by) {
        auto& row = column.shared[e.source];
        row.resize(curve.points.size());
        row[i] = by;
      };
      if (e.first != 0) put(gain, e.first);
      if (e.second != 0) put(phase, e.second);
    }
  }
  for (const auto& p : curve.points) out.undecided.push_back(!p.trusted);
  out.columns.push_back(std::move(gain));
  if (curve.has_phase) out.columns.push_back(std::move(phase));
  if (!curve.points.empty() && curve.points.front().coherence) {
    Columns::Column coherence{"coherence", "1", {}, {}};
    for (const auto& p : curve.points) coherence.y.push_back(p.coherence.value_or(0));
    out.columns.push_back(std::move(coherence));
  }
  return out;
}

namespace {

constexpr std::size_t kSmall = 256;   ///< places of a small picture
constexpr std::size_t kQuick = 200;  ///< points whose figures are read within a frame

/// `from` and `to` must leave something to read.
Result<void> check_stretch(const Curve& curve, const Settings& settings) {
  if (settings.from && settings.to && !(*settings.from < *settings.to))
    return fail(Fault::input, "from: {} does not lie below to, {}.", format_setting(*settings.from, "Hz"),
                format_setting(*settings.to, "Hz"));
  if (curve.points.empty()) return {};
  const double first = curve.points.front().frequency, last = curve.points.back().frequency;
  for (const auto& [name, beyond] : {std::pair{"from", settings.from && *settings.from > last},
                                     std::pair{"to", settings.to && *settings.to < first}})
    if (beyond)
      return fail(Fault::input, "{}: the data go from {} to {}; nothing is left to read.", name,
                  format_setting(first, "Hz"), format_setting(last, "Hz"));
  return {};
}

class ResponseReducer final : public Reducer {
 public:
  explicit ResponseReducer(Settings settings) : assembly_(std::move(settings)) {}

  Result<void> add(const Point& point) override { return assembly_.add(point); }

  Result<ReducedPtr> so_far() const override {
    auto curve = assembly_.curve();
    if (!curve) return tl::unexpected(curve.error());
    return std::make_shared<const ReducedResponse>(std::move(*curve));
  }

 private:
  Assembly assembly_;
};

}  // namespace

Result<Analysis> ReducedResponse::read(const SettingsText& text, const std::vector<std::string>& asked) const {
  const auto settings = settings_from_text(text);
  if (!settings) return tl::unexpected(settings.error());
  if (auto ok = check_stretch(curve_, *settings); !ok) return tl::unexpected(ok.error());
  return Analysis{response::read(curve_, *settings, asked), as_columns(curve_), as_text(*settings)};
}

bool ReducedResponse::quick() const { return curve_.points.size() <= kQuick; }

Columns ReducedResponse::small() const {
  Columns out{.x_name = "frequency", .x_unit = "Hz", .x = curve_.frequencies()};
  out.columns.push_back({"gain", "dB", curve_.gains(), {}});
  return thinned(std::move(out), kSmall);
}

std::optional<NetworkCurve> ReducedResponse::network() const {
  if (!curve_.has_phase) return std::nullopt;
  NetworkCurve out{.impedance = curve_.quantity == Quantity::impedance, .frequency = curve_.frequencies()};
  for (std::size_t i = 0; i < curve_.points.size(); ++i) out.values.push_back(curve_.value(i));
  return out;
}

std::size_t ReducedResponse::bytes() const {
  std::size_t out = sizeof *this + curve_.points.size() * (sizeof(CurvePoint) + sizeof(CurvePoint::Evidence));
  for (const auto& p : curve_.points) out += p.shared.size() * sizeof(SharedError);
  return out;
}

Result<std::unique_ptr<Reducer>> reducer(const SettingsText& text) {
  auto settings = settings_from_text(text);
  if (!settings) return tl::unexpected(settings.error());
  return std::make_unique<ResponseReducer>(std::move(*settings));
}

}  // namespace heron::study::response
