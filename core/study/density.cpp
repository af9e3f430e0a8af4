#include "study/density.h"

#include <algorithm>
#include <cassert>
#include <cmath>

namespace heron::study {
namespace {

/// The lowest and highest of a record in each column; none where it is not.
Result<std::vector<std::optional<TraceRange>>> by_column(const Trace& trace, double from, double to, int columns) {
  std::vector<std::optional<TraceRange>> out(std::size_t(columns), std::nullopt);
  const auto n = trace.size();
  if (n == 0) return out;
  const double width = (to - from) / columns;
  const double first = std::max(0.0, std::floor(trace.time.place_of(from, n))),
               last = std::min(double(n - 1), std::ceil(trace.time.place_of(to, n)));
  if (!(last >= first)) return out;
  std::vector<double> values(std::size_t(last - first) + 1);
  if (auto ok = trace.read(std::size_t(first), values); !ok) return tl::unexpected(ok.error());
  const auto widen = [&](int column, double value) {
    if (column < 0 || column >= columns) return;
    auto& cell = out[std::size_t(column)];
    cell = cell ? TraceRange{std::min(cell->low, value), std::max(cell->high, value)} : TraceRange{value, value};
  };
  for (std::size_t k = 0; k + 1 < values.size(); ++k) {
    const double a = (trace.time.at(std::size_t(first) + k) - from) / width,
                 b = (trace.time.at(std::size_t(first) + k + 1) - from) / width;
    widen(int(std::floor(a)), values[k]);
    widen(int(std::floor(b)), values[k + 1]);
    // Where the straight line between two samples passes from one column to the next.
    for (int edge = std::max(0, int(std::ceil(a))); edge <= std::min(columns, int(std::floor(b))); ++edge) {
      const double value = values[k] + (values[k + 1] - values[k]) * (edge - a) / (b - a);
      widen(edge - 1, value);
      widen(edge, value);
    }
  }
  return out;
}

}  // namespace

Result<Density> density_of(const std::vector<TracePtr>& traces, double from, double to, int columns, double low, double high,
                           int rows) {
  assert(columns > 0 && rows > 0 && to > from && high > low);
  Density out{.from = from, .to = to, .low = low, .high = high, .columns = columns, .rows = rows,
              .counts = std::vector<int>(std::size_t(columns) * std::size_t(rows), 0), .records = int(traces.size())};
  const auto row_of = [&](double value) { return int(std::floor((value - low) / (high - low) * rows)); };
  for (const auto& trace : traces) {
    const auto seen = by_column(*trace, from, to, columns);
    if (!seen) return tl::unexpected(seen.error());
    for (int c = 0; c < columns; ++c) {
      const auto& cell = (*seen)[std::size_t(c)];
      if (!cell || !std::isfinite(cell->low) || !std::isfinite(cell->high)) continue;
      for (int r = std::max(0, row_of(cell->low)); r <= std::min(rows - 1, row_of(cell->high)); ++r)
        ++out.counts[std::size_t(r) * std::size_t(columns) + std::size_t(c)];
    }
  }
  return out;
}

}  // namespace heron::study
