#include "study/places.h"

#include <algorithm>
#include <cmath>

namespace heron::study {
namespace {

/// Samples around a place.
struct Around {
  std::size_t first = 0;
  std::vector<double> values;
};

Result<Around> around(const Trace& trace, const Stretch& over, double place, std::size_t half) {
  const auto centre = std::size_t(std::clamp(place, double(over.first), double(over.last - 1)));
  Around out;
  out.first = centre > over.first + half ? centre - half : over.first;
  out.values.resize(std::min(centre + half + 1, over.last) - out.first);
  if (auto ok = trace.read(out.first, out.values); !ok) return tl::unexpected(ok.error());
  return out;
}

/// Half widths of what is read around a place, until it is wide enough.
constexpr std::size_t kHalves[] = {64, 2048, 65536};

}  // namespace

Result<std::vector<signal::Crossing>> crossings_of(const Trace& trace, const Stretch& over, double level, double hysteresis) {
  signal::CrossingFinder finder(level, hysteresis);
  // Beyond the band on the side where its neighbours are: nothing can cross.
  const auto side = [&](const signal::BlockSums& block) {
    return block.low >= level + hysteresis ? 1 : block.high < level - hysteresis ? -1 : 0;
  };
  auto ok = for_each_block(
      trace, over.first, over.last,
      [&](std::size_t k, std::span<const signal::BlockSums> blocks) {
        const int here = side(blocks[k]);
        return here != 0 && (k - 1) * Trace::kBlock >= over.first && k > 0 && side(blocks[k - 1]) == here && k + 1 < blocks.size() &&
               side(blocks[k + 1]) == here;
      },
      [&](std::size_t, const signal::BlockSums& block) { finder.skip(Trace::kBlock, block.low); },
      [&](std::size_t, std::span<const double> values) { finder.add(values); });
  if (!ok) return tl::unexpected(ok.error());
  auto found = finder.found();
  for (auto& c : found) c.place += double(over.first);
  return found;
}

Result<std::optional<double>> first_beyond(const Trace& trace, const Stretch& over, double from, double level, bool above,
                                           bool forward) {
  const auto beyond = [&](double v) { return above ? v >= level : v <= level; };
  const auto blocks = trace.blocks();
  if (!blocks) return tl::unexpected(blocks.error());
  constexpr auto kBlock = Trace::kBlock;
  const auto any_beyond = [&](std::size_t k) { return beyond(above ? (*blocks)[k].high : (*blocks)[k].low); };
  std::vector<double> values;
  // Samples [first, last) with one more on either side where there is one.
  std::size_t read_from = 0;
  const auto read = [&](std::size_t first, std::size_t last) {
    read_from = std::max(first, over.first + 1) - 1;
    values.resize(std::min(last + 1, over.last) - read_from);
    return trace.read(read_from, values);
  };
  const auto value = [&](std::size_t sample) { return values[sample - read_from]; };
  const auto inside = [&](double place) { return std::clamp(place, double(over.first), double(over.last - 1)); };
  if (forward) {
    for (auto at = std::size_t(inside(std::floor(from))); at < over.last;) {
      const auto first = at, end = std::min((at / kBlock + 1) * kBlock, over.last);
      at = end;
      if (!any_beyond(first / kBlock)) continue;
      if (auto ok = read(first, end); !ok) return tl::unexpected(ok.error());
      for (auto k = first; k < end; ++k) {
        if (double(k) < from || !beyond(value(k))) continue;
        if (k == over.first) return std::optional(double(k));
        const double before = value(k - 1), share = value(k) != before ? (level - before) / (value(k) - before) : 1;
        return std::optional(std::max(from, double(k) - 1 + std::clamp(share, 0.0, 1.0)));
      }
    }
    return std::optional<double>();
  }
  for (auto end = std::size_t(inside(std::ceil(from))) + 1; end > over.first;) {
    const auto first = std::max((end - 1) / kBlock * kBlock, over.first), last = end;
    end = first;
    if (!any_beyond(first / kBlock)) continue;
    if (auto ok = read(first, last); !ok) return tl::unexpected(ok.error());
    for (auto k = last; k-- > first;) {
      if (double(k) > from || !beyond(value(k))) continue;
      if (k + 1 == over.last) return std::optional(double(k));
      const double after = value(k + 1), share = after != value(k) ? (level - value(k)) / (after - value(k)) : 0;
      return std::optional(std::min(from, double(k) + std::clamp(share, 0.0, 1.0)));
    }
  }
  return std::optional<double>();
}

Result<std::optional<signal::Local>> passage(const Trace& trace, const Stretch& over, double near, double level,
                                             double noise) {
  std::optional<signal::Local> found;
  const auto look = [&](double place) -> Result<void> {
    for (const auto half : kHalves) {
      const auto samples = around(trace, over, place, half);
      if (!samples) return tl::unexpected(samples.error());
      found = signal::crossing_near(samples->values, place - double(samples->first), level, noise);
      if (found) found->place += double(samples->first);
      if ((found && found->u_place < double(half) / 8) || samples->values.size() == over.size()) break;
    }
    return {};
  };
  if (auto ok = look(near); !ok) return tl::unexpected(ok.error());
  // The place that was found first is where noise made it pass; looked at again from where the waveform does.
  if (found && found->u_place > 0.5)
    if (auto ok = look(found->place); !ok) return tl::unexpected(ok.error());
  return found;
}

Result<double> slope_at(const Trace& trace, const Stretch& over, double place, double noise) {
  double slope = 0;
  for (const auto half : kHalves) {
    const auto samples = around(trace, over, place, half);
    if (!samples) return tl::unexpected(samples.error());
    const auto& v = samples->values;
    const auto at = std::size_t(std::clamp(place - double(samples->first), 0.0, double(v.size() - 1)));
    for (std::size_t reach = 1; reach < v.size(); reach *= 2) {
      const auto a = at >= reach ? at - reach + 1 : 0, b = std::min(at + reach, v.size() - 1);
      if (b <= a) continue;
      slope = (v[b] - v[a]) / double(b - a);
      if (std::abs(v[b] - v[a]) > 8 * noise) return slope;
    }
    if (v.size() == over.size()) break;
  }
  return slope;
}

Result<signal::Local> extreme_of(const Trace& trace, const Stretch& over, double noise, signal::Towards which) {
  const bool high = which == signal::Towards::high;
  const auto highest = [&](const signal::BlockSums& block) { return high ? block.high : -block.low; };
  double best = -INFINITY, bound = -INFINITY;
  if (const auto blocks = trace.blocks()) {
    for (auto k = (over.first + Trace::kBlock - 1) / Trace::kBlock; (k + 1) * Trace::kBlock <= over.last; ++k)
      bound = std::max(bound, highest((*blocks)[k]));
  }
  std::size_t at = over.first;
  auto ok = for_each_block(
      trace, over.first, over.last, [&](std::size_t k, std::span<const signal::BlockSums> blocks) { return highest(blocks[k]) < bound; },
      [](std::size_t, const signal::BlockSums&) {},
      [&](std::size_t first, std::span<const double> values) {
        for (std::size_t k = 0; k < values.size(); ++k)
          if (const double value = high ? values[k] : -values[k]; value > best) {
            best = value;
            at = first + k;
          }
      });
  if (!ok) return tl::unexpected(ok.error());
  const auto samples = around(trace, over, double(at), kHalves[1]);
  if (!samples) return tl::unexpected(samples.error());
  auto found = signal::extreme_near(samples->values, at - samples->first, noise, which);
  found.place += double(samples->first);
  return found;
}

namespace {

/// Sample by sample: of any time base, between any places.
Result<void> add_pieces(const Trace& trace, double from, double to, Integrals& into) {
  if (!(to > from)) return {};
  const auto n = trace.size();
  const auto first = std::size_t(std::clamp(std::floor(from), 0.0, double(n - 1))),
             last = std::size_t(std::clamp(std::ceil(to), 0.0, double(n - 1)));
  double before = 0, t_before = 0;
  bool begun = false;
  return for_each_stretch(trace, first, last + 1, [&](std::size_t at, std::span<const double> values) {
    for (std::size_t k = 0; k < values.size(); ++k) {
      const double place = double(at + k), v = values[k];
      const double t = trace.time.at(at + k);
      if (begun) {
        // The part of this piece that lies inside.
        const double a = std::max(from, place - 1), b = std::min(to, place);
        if (b > a) {
          const double dt = t - t_before, va = before + (a - place + 1) * (v - before),
                       vb = before + (b - place + 1) * (v - before), h = (b - a) * dt;
          into.value += h * (va + vb) / 2;
          into.squares += h * (va * va + va * vb + vb * vb) / 3;
          into.seconds += h;
        }
      }
      begun = true;
      before = v;
      t_before = t;
    }
  });
}

}  // namespace

Result<Integrals> integrals(const Trace& trace, double from, double to) {
  Integrals out;
  if (!(to > from)) return out;
  constexpr auto kBlock = Trace::kBlock;
  const double least = std::max(0.0, std::ceil(from)), most = std::min(double(trace.size() - 1), std::floor(to));
  const auto first = (std::size_t(least) + kBlock - 1) / kBlock, last = most > 0 ? std::size_t(most) / kBlock : 0;
  if (!trace.time.even() || last <= first + 1) {
    if (auto ok = add_pieces(trace, from, to, out); !ok) return tl::unexpected(ok.error());
    return out;
  }
  // Pieces of whole blocks by their sums: each sample but the outermost begins one piece and ends another.
  const auto blocks = trace.blocks();
  if (!blocks) return tl::unexpected(blocks.error());
  double a = 0, b = 0, sum = 0, squares = 0, products = 0;
  for (const auto& [place, value] : {std::pair{first * kBlock, &a}, {last * kBlock, &b}})
    if (auto ok = trace.read(place, {value, 1}); !ok) return tl::unexpected(ok.error());
  for (auto k = first; k < last; ++k) {
    sum += (*blocks)[k].sum;
    squares += (*blocks)[k].squares;
    products += (*blocks)[k].products;
  }
  const double dt = trace.time.step();
  out.value = dt * (sum + (b - a) / 2);
  out.squares = dt * (2 * squares + b * b - a * a + products) / 3;
  out.seconds = dt * double((last - first) * kBlock);
  for (const auto& [begin, end] : {std::pair{from, double(first * kBlock)}, {double(last * kBlock), to}})
    if (auto ok = add_pieces(trace, begin, end, out); !ok) return tl::unexpected(ok.error());
  return out;
}

}  // namespace heron::study
