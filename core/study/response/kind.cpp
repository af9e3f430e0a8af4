#include "study/response/kind.h"

#include "base/quantity.h"
#include "study/response/figures.h"

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

Result<Settings> settings_from_text(const SettingsText& text) {
  Settings settings;
  for (const auto& [key, value] : text)
    if (auto ok = set(settings, key, value); !ok) return tl::unexpected(ok.error());
  return settings;
}

namespace {

std::vector<std::string> optional_roles() {
  std::vector<std::string> out = {"phase", "coherence", "u_real", "u_imag"};
  for (const char* quantity : {"gain", "phase"})
    for (auto& role : uncertainty_roles(quantity)) out.push_back(std::move(role));
  return out;
}

std::vector<ColumnRole> columns() {
  const std::vector<std::string_view> any_ratio = {"1", "ohm", "V", "A"};
  std::vector<ColumnRole> out = {
      {"frequency", {"Hz"}, {"frequency", "freq", "f"}},
      {"gain", {"dB", "1", "ohm"}, {"gain", "magnitude", "mag", "amplitude", "amp", "out/in", "level", "|h|", "|z|"}, true},
      {"phase", {"deg"}, {"phase", "angle", "ph", "arg", "theta"}},
      {"real", any_ratio, {"real", "re", "r"}},
      {"imag", any_ratio, {"imaginary", "imag", "im", "x"}},
      {"coherence", {"1"}, {"coherence", "coh", "gamma"}},
      {"time", {"s"}, {"time", "t"}},
      {"stimulus", {}, {"stimulus", "excitation", "drive", "input", "in"}},
      {"response", {}, {"response", "output", "out"}},
      {"u_real", any_ratio},
      {"u_imag", any_ratio}};
  for (const auto& role : uncertainty_roles("gain")) out.push_back({role, {"dB"}});
  for (const auto& role : uncertainty_roles("phase")) out.push_back({role, {"deg"}});
  for (auto& role : out) role.written_by_export = role.name.find("_shared_") != std::string::npos;
  return out;
}

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

}  // namespace

const Kind& kind() {
  static const Kind self = {
      .name = "response",
      .title = "Frequency response",
      .roles = {{"frequency", "gain"}, {"frequency", "real", "imag"}, {"time", "stimulus", "response"}},
      .optional_roles = optional_roles(),
      .columns = columns(),
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
        if (auto ok = check_stretch(*curve, *settings); !ok) return tl::unexpected(ok.error());
        return Analysis{read(*curve, *settings, asked), as_columns(*curve), as_text(*settings)};
      }};
  return self;
}

}  // namespace heron::study::response
