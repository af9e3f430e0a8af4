#include <algorithm>
#include <cmath>

#include "base/quantity.h"
#include "exchange/beside.h"
#include "exchange/rows.h"
#include "exchange/writers.h"

namespace heron::exchange {

Result<long long> write_part_csv(const std::string& path, const std::vector<study::TracePtr>& traces, double from, double to,
                                 std::stop_token stop, const Share& told) {
  if (traces.empty()) return fail(Fault::input, "There is no quantity to write.");
  const auto none = fail(Fault::input, "No sample lies between {} and {}.", format_quantity(from, "s", 4).plain(), format_quantity(to, "s", 4).plain());
  if (!(from <= to)) return none;
  const auto& time = traces.front()->time;
  const auto n = traces.front()->size();
  // A sample on the very edge belongs to the part.
  constexpr double kRounding = 1e-6;
  const auto inside = [&](double place) { return std::size_t(std::clamp(place, 0.0, double(n))); };
  const auto first = inside(std::ceil(time.place_of(from, n) - kRounding)), last = inside(std::floor(time.place_of(to, n) + kRounding) + 1);
  if (first >= last) return none;
  const auto written = write_beside(path, [&](std::ostream& out) -> Result<void> {
    std::string text = "time (s)";
    for (const auto& trace : traces) text += ',' + column_title(trace->name, trace->unit);
    text += "\n";
    std::vector<std::vector<double>> columns(traces.size());
    for (auto at = first; at < last; at += study::kStretch) {
      if (stop.stop_requested()) return fail(Fault::stopped, "Stopped; nothing is written.");
      const auto end = std::min(at + study::kStretch, last);
      for (std::size_t c = 0; c < traces.size(); ++c) {
        columns[c].resize(end - at);
        if (auto ok = study::read_at(*traces[c], time, at, columns[c]); !ok) return ok;
      }
      append_rows(text, at, end, [&](std::size_t k) { return time.at(k); }, columns);
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
