#include "study/raw.h"

#include <algorithm>
#include <limits>

namespace heron::study {

void RowLines::add(int line) {
  if (stretches_.empty() || stretches_.back().line + int(rows_ - stretches_.back().row) != line) stretches_.push_back({rows_, line});
  ++rows_;
}

int RowLines::line(std::size_t row) const {
  const auto after = std::upper_bound(stretches_.begin(), stretches_.end(), row, [](std::size_t r, const Stretch& s) { return r < s.row; });
  return std::prev(after)->line + int(row - std::prev(after)->row);
}

RowLines RowLines::part(std::size_t first, std::size_t last) const {
  RowLines out;
  for (auto row = first; row < last; ++row) out.add(line(row));
  return out;
}

std::vector<double> Channel::values() const {
  if (stored) {
    std::vector<double> out(stored->size());
    if (!stored->read(0, out)) std::fill(out.begin(), out.end(), std::numeric_limits<double>::quiet_NaN());
    return out;
  }
  if (recording) {
    std::vector<double> out;
    out.reserve(recording->size());
    const auto read = for_each_stretch(*recording, [&](std::size_t, std::span<const std::int16_t> stretch) {
      for (const auto count : stretch) out.push_back(count * scale);
    });
    if (!read) out.resize(recording->size(), std::numeric_limits<double>::quiet_NaN());
    return out;
  }
  if (!counted()) return numbers;
  std::vector<double> out(counts.size());
  for (std::size_t i = 0; i < counts.size(); ++i) out[i] = counts[i] * scale;
  return out;
}

const Channel* Record::find(std::string_view role) const {
  const auto it = std::find_if(channels.begin(), channels.end(), [&](const Channel& c) { return c.role == role; });
  return it == channels.end() ? nullptr : &*it;
}

std::string Record::where(std::size_t row) const {
  return row < lines.rows() ? fmt::format("Line {}", lines.line(row)) : fmt::format("Row {}", row + 1);
}

Record as_record(const bench::Capture& capture, std::span<const std::string> roles, int pass) {
  Record record{.pass = pass, .sample_rate = capture.sample_rate};
  for (std::size_t k = 0; k < capture.channels.size() && k < roles.size(); ++k) {
    const auto& from = capture.channels[k];
    record.channels.push_back({.role = roles[k],
                               .unit = "V",
                               .pin = from.pin,
                               .counts = from.counts,
                               .scale = from.volts_per_count,
                               .range = from.range,
                               .lowest_count = from.lowest_count,
                               .highest_count = from.highest_count,
                               .u_gain = from.u_gain,
                               .u_delay = from.u_delay,
                               .u_offset = from.u_offset});
  }
  return record;
}

}  // namespace heron::study
