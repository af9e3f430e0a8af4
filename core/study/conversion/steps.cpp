#include "study/conversion/steps.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "signal/crossings.h"
#include "signal/local.h"
#include "signal/states.h"

namespace heron::study::conversion {
namespace {

constexpr double kLeastStep = 0.005;   ///< of the larger state: smaller changes are no steps
constexpr double kClear = 8;           ///< times the scatter of the states that they lie apart
constexpr double kInside = 0.1;        ///< of the step: nearer to its state it rests there
constexpr double kHalfOfItsLike = 0.5; ///< of the shortest whole plateau, that one cut by the record's end has at least
constexpr double kGlitch = 0.1;        ///< of the usual length, under which a plateau is none
constexpr std::size_t kLeastPlateau = 16;  ///< samples, on the mean: what changes faster is ripple
constexpr std::size_t kBlocks = 16;

/// All samples that are looked at.
struct Loaded {
  TimeBase time;
  std::size_t first = 0;
  std::array<std::vector<double>, kPorts> values;
  std::array<const TraceErrors*, kPorts> errors = {};

  const std::vector<double>& of(Port p) const { return values[std::size_t(p)]; }
  bool has(Port p) const { return !of(p).empty(); }
  double at(std::size_t sample) const { return time.at(first + sample); }
  double at_place(double place) const { return time.at_place(double(first) + place); }
  std::size_t size() const {
    for (const auto& v : values)
      if (!v.empty()) return v.size();
    return 0;
  }
};

Result<Loaded> load(const Waveforms& record, const Settings& settings) {
  Loaded out;
  for (const auto port : kAllPorts) {
    const auto k = trace_of(record, port);
    if (!k) continue;
    const auto& trace = *record.traces[*k];
    const auto inside = [&](double time) { return std::clamp(trace.time.place_of(time, trace.size()), 0.0, double(trace.size())); };
    const auto first = settings.from ? std::size_t(std::ceil(inside(*settings.from) - 1e-9)) : 0;
    const auto last = settings.to ? std::min(trace.size(), std::size_t(std::floor(inside(*settings.to) + 1e-9)) + 1) : trace.size();
    if (first >= last) return fail(Fault::input, "Nothing of the record lies between from and to.");
    auto& values = out.values[std::size_t(port)];
    values.resize(last - first);
    if (auto ok = trace.read(first, values); !ok) return tl::unexpected(ok.error());
    out.errors[std::size_t(port)] = &record.errors[*k];
    out.time = trace.time;
    out.first = first;
  }
  // Traces of one record can differ by a sample where their delays do.
  std::size_t shortest = SIZE_MAX;
  for (const auto& v : out.values)
    if (!v.empty()) shortest = std::min(shortest, v.size());
  for (auto& v : out.values)
    if (!v.empty()) v.resize(shortest);
  return out;
}

struct Stepping {
  Port port;
  double low, high, size;
};

/// The two states of a quantity that steps.
std::optional<Stepping> stepping(const Loaded& all, Port port) {
  if (!all.has(port) || all.size() < 32) return std::nullopt;
  const auto& values = all.of(port);
  const auto [low, high] = std::minmax_element(values.begin(), values.end());
  if (!(*high > *low)) return std::nullopt;
  signal::LevelHistogram histogram(*low, *high);
  histogram.add(values);
  const auto states = histogram.states();
  if (!states) return std::nullopt;
  const double step = states->high.level - states->low.level, largest = std::max(std::abs(states->high.level), std::abs(states->low.level));
  if (!(step > kLeastStep * largest) || !(step > kClear * std::max(states->low.scatter, states->high.scatter))) return std::nullopt;
  signal::CrossingFinder finder((states->low.level + states->high.level) / 2, step / 4);
  finder.add(values);
  if (finder.seen() * kLeastPlateau > values.size()) return std::nullopt;
  return Stepping{port, states->low.level, states->high.level, step / largest};
}

std::optional<double> mean_over(const Loaded& all, Port port, std::size_t first, std::size_t last) {
  if (!all.has(port) || first >= last) return std::nullopt;
  double sum = 0;
  for (std::size_t k = first; k < last; ++k) sum += all.of(port)[k];
  return sum / double(last - first);
}

/// Samples [first, last) of a plateau, and from where on it has settled.
struct Stretch {
  bool high;
  std::size_t first, last, settled;
  bool cut;
};

std::vector<Stretch> stretches(const Loaded& all, const Stepping& s, double settled_share) {
  const auto& values = all.of(s.port);
  const double middle = (s.low + s.high) / 2, near = kInside * (s.high - s.low);
  signal::CrossingFinder finder(middle, (s.high - s.low) / 4);
  finder.add(values);
  const auto& crossings = finder.found();
  std::vector<Stretch> out;
  for (std::size_t k = 0; k <= crossings.size(); ++k) {
    const bool high = crossings.empty() ? values.front() > middle : k == 0 ? !crossings[0].rising : crossings[k - 1].rising;
    auto first = k == 0 ? 0 : std::size_t(std::ceil(crossings[k - 1].place)), last = k == crossings.size() ? values.size() : std::size_t(std::ceil(crossings[k].place));
    const double level = high ? s.high : s.low;
    while (first < last && std::abs(values[first] - level) > near) ++first;
    while (last > first && std::abs(values[last - 1] - level) > near) --last;
    // An edge that begins slowly is under way before it leaves the tenth: as long again is left out as it took from there
    // to the middle.
    if (k < crossings.size()) {
      const auto under_way = std::size_t(std::ceil(crossings[k].place)) - last;
      last = last > first + under_way ? last - under_way : first;
    }
    if (first == last) continue;
    const auto settled = last - std::max<std::size_t>(1, std::size_t(std::llround(settled_share * double(last - first))));
    out.push_back({high, first, last, settled, k == 0 || k == crossings.size()});
  }
  if (out.empty()) return out;
  std::vector<std::size_t> lengths;
  for (const auto& one : out) lengths.push_back(one.last - one.first);
  std::nth_element(lengths.begin(), lengths.begin() + std::ptrdiff_t(lengths.size() / 2), lengths.end());
  std::erase_if(out, [usual = double(lengths[lengths.size() / 2])](const Stretch& one) { return !one.cut && double(one.last - one.first) < kGlitch * usual; });
  return out;
}

/// How far a mean may be off by what moves while it is taken: the scatter of the means of blocks.
double u_of_mean(const std::vector<double>& values, std::size_t first, std::size_t last) {
  const auto n = std::min(kBlocks, last - first);
  if (n < 2) return 0;
  std::vector<double> means;
  for (std::size_t b = 0; b < n; ++b) {
    const auto from = first + (last - first) * b / n, to = first + (last - first) * (b + 1) / n;
    double sum = 0;
    for (auto k = from; k < to; ++k) sum += values[k];
    means.push_back(sum / double(to - from));
  }
  double mean = 0, squares = 0;
  for (const double m : means) mean += m / double(n);
  for (const double m : means) squares += (m - mean) * (m - mean);
  return std::sqrt(squares / double(n - 1) / double(n));
}

/// What is left of rounding in a mean.
double rounding_of(const TraceErrors& errors, std::span<const double> values) {
  return errors.rounding.value_or(errors.quantum > 0 ? left_of_rounding(errors.quantum, signal::noise_of(values)) / std::numbers::sqrt2 : 0);
}

/// What all readings through one chain have in common.
std::vector<std::pair<int, double>> shared_of(const TraceErrors& e, Port port, double value, const std::function<int(const std::string&)>& source) {
  std::vector<std::pair<int, double>> out;
  const auto name = [&](const char* what) { return fmt::format("{} {} {:.9g}", what, port_name(port), e.range.value_or(0)); };
  if (e.u_gain > 0) out.emplace_back(source(name("gain")), e.u_gain * value);
  if (e.u_offset > 0) out.emplace_back(source(name("offset")), e.u_offset);
  return out;
}

/// One row of all plateaus of a state.
std::optional<Row> row_of(const Loaded& all, const std::vector<Stretch>& same, const std::array<double, kPorts>& scatter, int point,
                          const std::function<int(const std::string&)>& source) {
  if (same.empty()) return std::nullopt;
  Row out;
  out.point = point;
  out.readings = int(same.size());
  const double n = double(same.size());
  for (const auto port : kAllPorts) {
    if (!all.has(port)) {
      out.whole = false;
      continue;
    }
    auto& m = out.of(port);
    double own = 0, settling = 0;
    for (const auto& s : same) {
      m.value += *mean_over(all, port, s.settled, s.last) / n;
      own += std::pow(u_of_mean(all.of(port), s.settled, s.last) / n, 2);
      // What still settles within it goes on to settle after it.
      const auto middle = (s.settled + s.last) / 2;
      if (middle > s.settled && middle < s.last) {
        const double apart = *mean_over(all, port, middle, s.last) - *mean_over(all, port, s.settled, middle);
        const double by_chance = std::hypot(u_of_mean(all.of(port), s.settled, middle), u_of_mean(all.of(port), middle, s.last));
        if (std::abs(apart) > 3 * by_chance) settling += apart / 2 / n;
      }
    }
    const auto& first = same.front();
    const std::span<const double> settled(all.of(port).data() + first.settled, first.last - first.settled);
    m.u = std::hypot(std::max(std::sqrt(own), scatter[std::size_t(port)] / std::sqrt(n)), rounding_of(*all.errors[std::size_t(port)], settled), settling);
    m.shared = shared_of(*all.errors[std::size_t(port)], port, m.value, source);
  }
  return out;
}

/// How far means of plateaus of one state scatter, over both states.
std::array<double, kPorts> scatter_of(const Loaded& all, const std::array<std::vector<Stretch>, 2>& by_state) {
  std::array<double, kPorts> out = {};
  for (const auto port : kAllPorts) {
    double squares = 0;
    std::size_t freedom = 0;
    for (const auto& same : by_state) {
      if (same.size() < 2 || !all.has(port)) continue;
      std::vector<double> means;
      double mean = 0;
      for (const auto& s : same) means.push_back(*mean_over(all, port, s.settled, s.last));
      for (const double m : means) mean += m / double(means.size());
      for (const double m : means) squares += (m - mean) * (m - mean);
      freedom += means.size() - 1;
    }
    if (freedom > 0) out[std::size_t(port)] = std::sqrt(squares / double(freedom));
  }
  return out;
}

/// Where the output comes into the band for good, from `first` on: that itself where it never leaves it; nothing where it
/// is still outside at the end.
std::optional<double> settled_place(const std::vector<double>& v, std::size_t first, std::size_t last, double level, double band) {
  std::size_t k = last;
  while (k > first && std::abs(v[k - 1] - level) <= band) --k;
  if (k <= first) return double(first);
  if (k == last) return std::nullopt;
  const double outside = v[k - 1] - level, inside = v[k] - level, edge = outside > 0 ? band : -band;
  return double(k - 1) + (edge - outside) / (inside - outside);
}

/// @param from, to  of the two states, one after the other
LoadStep load_step(const Loaded& all, const Stretch& from, const Stretch& to, double middle, double settle_band) {
  const auto &v = all.of(Port::vout), &i = all.of(Port::iout);
  std::size_t cross = from.last - 1;
  while ((i[cross] < middle) == (i[cross + 1] < middle)) ++cross;
  LoadStep out{.at = all.at_place(double(cross) + (middle - i[cross]) / (i[cross + 1] - i[cross])), .rises = to.high};
  out.settles_at = *mean_over(all, Port::vout, to.settled, to.last);
  const double u_settled = u_of_mean(v, to.settled, to.last);
  const std::span<const double> window(v.data() + from.last - 1, to.last - (from.last - 1));
  const double noise = signal::noise_of(std::span<const double>(v.data() + to.settled, to.last - to.settled));
  const auto [lowest, highest] = std::minmax_element(window.begin(), window.end());
  const auto low = signal::extreme_near(window, std::size_t(lowest - window.begin()), noise, signal::Towards::low), high = signal::extreme_near(window, std::size_t(highest - window.begin()), noise, signal::Towards::high);
  const double gain = all.errors[std::size_t(Port::vout)]->u_gain;
  out.dip = std::max(0.0, out.settles_at - low.value);
  out.overshoot = std::max(0.0, high.value - out.settles_at);
  out.u_dip = std::hypot(low.u_value, u_settled, gain * out.dip);
  out.u_overshoot = std::hypot(high.u_value, u_settled, gain * out.overshoot);
  out.lowest_at = all.at_place(double(from.last - 1) + low.place);
  out.highest_at = all.at_place(double(from.last - 1) + high.place);
  // Noise that leaves the band now and then is not the output leaving it.
  const double wide = std::max(settle_band * std::abs(out.settles_at), 4 * noise);
  const auto settled = settled_place(v, cross + 1, to.settled, out.settles_at, wide);
  if (!settled) return out;
  // Of all that noise does to the last passage only the edge itself is wanted.
  std::optional<signal::Local> passage;
  if (const auto before = std::size_t(*settled); *settled > double(cross + 1))
    passage = signal::crossing_near(std::span<const double>(v.data(), to.last), *settled, out.settles_at + (v[before] > out.settles_at ? wide : -wide), noise);
  constexpr double kOfASample = 0.3;  // uniform within one: of the load's crossing, and of a passage that is not seen
  out.recovery = std::max(0.0, all.at_place(passage ? passage->place : *settled) - out.at);
  out.u_recovery = all.time.step() * std::hypot(passage ? passage->u_place : kOfASample, kOfASample);
  return out;
}

Ripple ripple_over(const Loaded& all, std::size_t first, std::size_t last) {
  const std::span<const double> v(all.of(Port::vout).data() + first, last - first);
  const double noise = signal::noise_of(v);
  const auto [lowest, highest] = std::minmax_element(v.begin(), v.end());
  const auto low = signal::extreme_near(v, std::size_t(lowest - v.begin()), noise, signal::Towards::low), high = signal::extreme_near(v, std::size_t(highest - v.begin()), noise, signal::Towards::high);
  const auto& errors = *all.errors[std::size_t(Port::vout)];
  if (*lowest == *highest) return {.from = all.at(first), .to = all.at(last - 1)};
  Ripple out{.peak_to_peak = std::max(0.0, high.value - low.value), .from = all.at(first), .to = all.at(last - 1)};
  // Which of many like extremes stands out is the noise's doing.
  constexpr double kOfMany = 0.25;
  out.u = std::hypot(std::hypot(low.u_value, high.u_value, errors.u_gain * out.peak_to_peak), rounding_of(errors, v), kOfMany * noise);
  return out;
}

}  // namespace

std::optional<std::size_t> trace_of(const Waveforms& record, Port port) {
  const auto k = record.place(port_name(port));
  return k < record.traces.size() ? std::optional(k) : std::nullopt;
}

Result<SteppedRecordPtr> read_steps(WaveformsPtr record, const Settings& settings, int point, const std::function<int(const std::string&)>& source) {
  auto out = std::make_shared<SteppedRecord>();
  out->record = record;
  const auto all = load(*record, settings);
  if (!all) return tl::unexpected(all.error());
  if (!all->has(Port::vout)) return fail(Fault::input, "The record has no vout.");
  const auto by_line = stepping(*all, Port::vin), by_load = stepping(*all, Port::iout);
  // The load's own answer moves what the source gives a little, never the other way round by as much.
  const auto& stepped = by_line && by_load ? (by_load->size > by_line->size ? by_load : by_line) : by_load ? by_load : by_line;
  if (!stepped) {
    const Stretch whole{false, 0, all->size(), 0, false};
    if (auto row = row_of(*all, {whole}, {}, point, source); row && row->whole) out->rows.push_back(std::move(*row));
    out->ripple = ripple_over(*all, 0, all->size());
    return out;
  }
  out->stepped = stepped->port;
  out->low = stepped->low;
  out->high = stepped->high;
  const auto found = stretches(*all, *stepped, settings.settled_share);
  std::array<std::vector<Stretch>, 2> by_state;
  std::vector<char> counts;
  for (const auto& s : found) {
    std::size_t shortest = SIZE_MAX;
    for (const auto& other : found)
      if (!other.cut && other.high == s.high) shortest = std::min(shortest, other.last - other.first);
    counts.push_back(!s.cut || shortest == SIZE_MAX || double(s.last - s.first) >= kHalfOfItsLike * double(shortest));
    if (counts.back()) by_state[s.high].push_back(s);
    Plateau p{.high = s.high, .from = all->at(s.first), .to = all->at(s.last - 1), .settled_from = all->at(s.settled), .counts = counts.back() != 0};
    for (const auto port : kAllPorts) p.mean[std::size_t(port)] = mean_over(*all, port, s.settled, s.last);
    out->plateaus.push_back(p);
  }
  const auto scatter = scatter_of(*all, by_state);
  for (const auto& same : by_state) {
    if (auto row = row_of(*all, same, scatter, point, source)) out->rows.push_back(std::move(*row));
    for (const auto& s : same) {
      const auto ripple = ripple_over(*all, s.settled, s.last);
      if (!out->ripple || ripple.peak_to_peak > out->ripple->peak_to_peak) out->ripple = ripple;
    }
  }
  if (stepped->port == Port::iout)
    for (std::size_t k = 1; k < found.size(); ++k)
      if (counts[k] && found[k].high != found[k - 1].high) out->load_steps.push_back(load_step(*all, found[k - 1], found[k], (stepped->low + stepped->high) / 2, settings.settle_band));
  return out;
}

}  // namespace heron::study::conversion
