#include <algorithm>
#include <cmath>

#include "base/quantity.h"
#include "exchange/beside.h"
#include "exchange/writers.h"

namespace heron::exchange {

Result<long long> write_part_csv(const std::string& path, const std::vector<study::TracePtr>& traces, double from, double to,
                                 std::stop_token stop, const Share& told) {
  if (traces.empty()) return fail(Fault::input, "There is no quantity to write.");
  if (!(from <= to)) return fail(Fault::input, "No sample lies between {} and {}.", format_quantity(from, "s", 4).plain(), format_quantity(to, "s", 4).plain());
  const auto& time = traces.front()->time;
  const auto n = traces.front()->size();
  // A sample on the very edge belongs to the part.
  constexpr double kRounding = 1e-6;
  const auto inside = [&](double place) { return std::size_t(std::clamp(place, 0.0, double(n))); };
  const auto first = inside(std::ceil(time.place_of(from, n) - kRounding)), last = inside(std::floor(time.place_of(to, n) + kRounding) + 1);
  if (first >= last)
    return fail(Fault::input, "No sample lies between {} and {}.", format_quantity(from, "s", 4).plain(), format_quantity(to, "s", 4).plain());
  const auto written = write_beside(path, [&](std::ostream& out) -> Result<void> {
    std::string text = "time (s)";
    for (const auto& trace : traces) text += trace->unit.empty() ? "," + trace->name : fmt::format(",{} ({})", trace->name, trace->unit);
    text += "\n";
    std::vector<std::vector<double>> columns(traces.size());
    for (auto at = first; at < last; at += study::kStretch) {
      if (stop.stop_requested()) return fail(Fault::stopped, "Stopped; nothing is written.");
      const auto end = std::min(at + study::kStretch, last);
      for (std::size_t c = 0; c < traces.size(); ++c) {
        columns[c].resize(end - at);
        if (auto ok = study::read_at(*traces[c], time, at, columns[c]); !ok) return ok;
      }
      for (auto k = at; k < end; ++k) {
        fmt::format_to(std::back_inserter(text), "{}", time.at(k));
        for (const auto& column : columns) fmt::format_to(std::back_inserter(text), ",{}", column[k - at]);
        text += '\n';
      }
      out.write(text.data(), std::streamsize(text.size()));
      text.clear();
      if (told) told(double(end - first) / double(last - first));
    }
    return {};
  });
  if (!written) return tl::unexpected(written.error());
  return static_cast<long long>(last - first);
}

}  // namespace heron::exchange
