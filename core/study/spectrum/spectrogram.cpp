#include "study/spectrum/spectrogram.h"

#include <algorithm>
#include <bit>
#include <cmath>

#include "base/share_out.h"
#include "signal/segment_power.h"

namespace heron::study::spectrum {
namespace {

constexpr std::size_t kShortestStretch = 64, kLongestSegment = 1 << 16;
constexpr std::size_t kFewestSegments = 4;

}  // namespace

std::size_t balanced_segment(std::size_t samples) { return std::max(kShortestStretch, std::bit_floor(std::size_t(std::sqrt(double(samples))))); }

Result<Spectrogram> spectrogram_of(const Trace& trace, std::size_t first, std::size_t last, std::size_t wanted, int most_columns, int most_rows,
                                   std::stop_token stop) {
  last = std::min(last, trace.size());
  if (!trace.time.even()) return fail(Fault::input, "{}: the times are not even, which a spectrogram wants.", trace.name);
  if (last < first + kFewestSegments * kShortestStretch)
    return fail(Fault::input, "{} samples are too few for a spectrogram; {} are the fewest.", last > first ? last - first : 0, kFewestSegments * kShortestStretch);
  const auto samples = last - first;
  const auto segment = std::clamp(wanted / 2 * 2, kShortestStretch, std::min(kLongestSegment, samples / kFewestSegments / 2 * 2));
  const auto segments = samples / segment, all_lines = segment / 2 + 1, lines = all_lines - 1;  // without the one that stands still
  Spectrogram out{.columns = int(std::min(segments, std::size_t(most_columns))), .rows = int(std::min(lines, std::size_t(most_rows)))};
  out.segment = segment;
  out.line = 1 / (trace.time.step() * double(segment));
  out.from = trace.time.at(first);
  out.to = trace.time.at_place(double(first + segments * segment));
  out.highest_frequency = out.line * (double(lines) + 0.5);
  out.cells.assign(std::size_t(out.columns) * std::size_t(out.rows), 0.0);
  // Columns have nothing to do with each other.
  const auto ok = share_out(std::size_t(out.columns), [&](std::size_t from_column, std::size_t to_column) -> Result<void> {
    signal::SegmentPower powers(signal::Window::hann, segment);
    const auto begin_of = [&](std::size_t column) { return segments * column / std::size_t(out.columns); };
    std::vector<double> column(all_lines), values;
    // Several stretches are read at a time, no more than stay near the processor.
    constexpr std::size_t kRead = 1 << 14;
    const auto at_once = std::max<std::size_t>(1, kRead / segment);
    std::size_t read_from = 0, read_to = 0;
    for (auto c = from_column; c < to_column; ++c) {
      if (stop.stop_requested()) return fail(Fault::stopped, "Stopped.");
      std::fill(column.begin(), column.end(), 0.0);
      const auto from = begin_of(c), to = begin_of(c + 1);
      for (auto k = from; k < to; ++k) {
        if (k >= read_to) {
          read_from = k;
          read_to = std::min(begin_of(to_column), k + at_once);
          values.resize((read_to - read_from) * segment);
          if (auto read = trace.read(first + read_from * segment, values); !read) return read;
        }
        const auto there = values.begin() + std::ptrdiff_t((k - read_from) * segment);
        std::copy(there, there + std::ptrdiff_t(segment), powers.room().begin());
        powers.add(column);
      }
      for (std::size_t r = 0; r < std::size_t(out.rows); ++r) {
        const auto low = 1 + lines * r / std::size_t(out.rows), high = 1 + lines * (r + 1) / std::size_t(out.rows);
        out.cells[r * std::size_t(out.columns) + c] =
            *std::max_element(column.begin() + std::ptrdiff_t(low), column.begin() + std::ptrdiff_t(high)) / double(to - from);
      }
    }
    return {};
  });
  if (!ok) return tl::unexpected(ok.error());
  return out;
}

}  // namespace heron::study::spectrum
