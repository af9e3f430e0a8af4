#include "study/response/kind.h"

#include "study/response/figures.h"

namespace heron::study::response {

Columns as_columns(const Curve& curve) {
  Columns out{.x_name = "frequency", .x_unit = "Hz", .x = curve.frequencies()};
  Columns::Column gain{"gain", "dB", curve.gains(), {}}, phase{"phase", "deg", curve.phases(), {}};
  for (const auto& p : curve.points)
    if (p.u_gain_db && p.u_phase_deg) {
      gain.u.push_back(*p.u_gain_db);
      phase.u.push_back(*p.u_phase_deg);
    }
  if (gain.u.size() != out.x.size()) {
    gain.u.clear();
    phase.u.clear();
  }
  out.columns.push_back(std::move(gain));
  if (curve.has_phase) out.columns.push_back(std::move(phase));
  if (!curve.points.empty() && curve.points.front().coherence) {
    Columns::Column coherence{"coherence", "1", {}, {}};
    for (const auto& p : curve.points) coherence.y.push_back(p.coherence.value_or(0));
    out.columns.push_back(std::move(coherence));
  }
  return out;
}

Result<Settings> settings_from_text(const SettingsText& text) {
  Settings settings;
  for (const auto& [key, value] : text)
    if (auto ok = set(settings, key, value); !ok) return tl::unexpected(ok.error());
  return settings;
}

const Kind& kind() {
  static const Kind self = {
      .name = "response",
      .title = "Frequency response",
      .roles = {{"frequency", "gain"}, {"frequency", "real", "imag"}, {"time", "stimulus", "response"}},
      .optional_roles = {"phase", "coherence"},
      .check_setting =
          [](std::string_view key, std::string_view text) {
            Settings scratch;
            return set(scratch, key, text);
          },
      .check_figure = check_figure_key,
      .figures = figure_names,
      .analyse = [](const std::vector<Point>& points, const SettingsText& text,
                    const std::vector<std::string>& asked) -> Result<Analysis> {
        const auto settings = settings_from_text(text);
        if (!settings) return tl::unexpected(settings.error());
        const auto curve = reduce_take(points, *settings);
        if (!curve) return tl::unexpected(curve.error());
        return Analysis{read(*curve, *settings, asked), as_columns(*curve), as_text(*settings)};
      }};
  return self;
}

}  // namespace heron::study::response
