#include "signal/pyramid.h"

#include <algorithm>

namespace heron::signal {
namespace {
MinMaxPyramid::Range joined(MinMaxPyramid::Range a, MinMaxPyramid::Range b) {
  return {std::min(a.low, b.low), std::max(a.high, b.high)};
}
}  // namespace

MinMaxPyramid::MinMaxPyramid(std::span<const double> values) : values_(values) {
  std::vector<Range> level;
  for (std::size_t i = 0; i + kBase <= values.size(); i += kBase) {
    const auto [low, high] =
        std::minmax_element(values.begin() + std::ptrdiff_t(i), values.begin() + std::ptrdiff_t(i + kBase));
    level.push_back({*low, *high});
  }
  while (!level.empty()) {
    levels_.push_back(level);
    std::vector<Range> next;
    for (std::size_t i = 0; i + 1 < level.size(); i += 2) next.push_back(joined(level[i], level[i + 1]));
    level = std::move(next);
  }
}

MinMaxPyramid::Range MinMaxPyramid::over(std::size_t begin, std::size_t end) const {
  Range out{values_[begin], values_[begin]};
  while (begin < end) {
    // The widest block that starts here and stays inside.
    std::size_t width = 1, level = 0;
    if (begin % kBase == 0 && begin + kBase <= end) {
      width = kBase;
      while (level + 1 < levels_.size() && begin % (width * 2) == 0 && begin + width * 2 <= end &&
             begin / (width * 2) < levels_[level + 1].size()) {
        width *= 2;
        ++level;
      }
      out = joined(out, levels_[level][begin / width]);
    } else {
      out = joined(out, {values_[begin], values_[begin]});
    }
    begin += width;
  }
  return out;
}

ThinCurve thin_curve(std::span<const double> x, std::span<const double> y, const MinMaxPyramid& pyramid, double from,
                     double to, int columns) {
  ThinCurve out;
  if (x.empty() || columns < 1 || !(to > from)) return out;
  auto first = std::size_t(std::lower_bound(x.begin(), x.end(), from) - x.begin());
  auto last = std::size_t(std::upper_bound(x.begin(), x.end(), to) - x.begin());
  first = first > 0 ? first - 1 : 0;
  last = std::min(last + 1, x.size());
  const auto keep = [&](double at, double value) {
    out.x.push_back(at);
    out.y.push_back(value);
  };
  if (last - first <= std::size_t(columns) * 4) {
    for (auto i = first; i < last; ++i) keep(x[i], y[i]);
    return out;
  }
  auto begin = first;
  for (int column = 0; column < columns && begin < last; ++column) {
    const double edge = from + (to - from) * (column + 1) / columns;
    auto end =
        column + 1 == columns
            ? last
            : std::size_t(std::upper_bound(x.begin() + std::ptrdiff_t(begin), x.begin() + std::ptrdiff_t(last), edge) -
                          x.begin());
    if (end == begin) continue;
    const auto range = pyramid.over(begin, end);
    keep(x[begin], y[begin]);
    if (end - begin > 1) {
      const double middle = x[begin] + (x[end - 1] - x[begin]) / 2;
      keep(middle, range.low);
      keep(middle, range.high);
      keep(x[end - 1], y[end - 1]);
    }
    begin = end;
  }
  return out;
}

}  // namespace heron::signal
