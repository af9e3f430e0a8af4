#include "study/waveform/doubts.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/percent.h"
#include "base/quantity.h"

namespace heron::study::waveform {
namespace {

constexpr double kEdgeMargin = 1.5;      ///< an edge shorter than so many of the chain's is partly the chain's
constexpr std::size_t kClippedRun = 3;   ///< a run of so many equal samples on an end of the converter is no chance
constexpr double kUnderused = 0.1;       ///< of the range
constexpr double kZero = 0.01;           ///< u of a zero, of the largest value
constexpr double kDroop = 0.02;          ///< at the pulse's end
constexpr std::size_t kNamed = 3;        ///< places that are named of many
constexpr double kNotThere = 0.01;       ///< of what was foreseen
constexpr double kSkew = 0.05;           ///< of the edge that a figure of two quantities rests on
constexpr double kSmeared = 0.02;        ///< of the swing, by which passes go beyond their mean

std::string shown(double value, std::string_view unit, int digits = 3) {
  return format_quantity(value, unit, digits).plain();
}

/// A figure of one trace by its plain name; null where it is not read.
const Figure* figure(const Pass& pass, std::size_t k, const Reading& reading, const std::string& name) {
  return reading.find(pass.count() == 1 ? name : pass.trace(k).name + "." + name);
}

void check_range(const Pass& pass, std::size_t k, std::vector<Doubt>& out) {
  const auto& errors = pass.errors(k);
  const auto& p = pass.profile(k);
  const auto& name = pass.trace(k).name;
  const auto& unit = pass.trace(k).unit;
  const double half = errors.quantum / 2;
  const bool low = errors.lowest && p.low <= *errors.lowest + half && p.longest_at_low >= kClippedRun,
             high = errors.highest && p.high >= *errors.highest - half && p.longest_at_high >= kClippedRun;
  if (low || high)
    out.push_back({"input.clipped", Severity::serious,
                   fmt::format("{} stands at the {} end of its range, {}, for {} samples: what lies beyond is lost.", name,
                               high ? "upper" : "lower", shown(high ? p.high : p.low, unit),
                               high ? p.longest_at_high : p.longest_at_low),
                   "Take the next range up, or drive less."});
  const double peak = std::max(std::abs(p.low), std::abs(p.high));
  if (errors.range && peak < kUnderused * *errors.range)
    out.push_back({"range.underused", Severity::note,
                   fmt::format("{} uses {} of its range of {}: one count is {}.", name, in_percent(peak / *errors.range),
                               shown(*errors.range, unit), shown(errors.quantum, unit, 2)),
                   "Take the range that fits."});
  if (errors.u_offset > kZero * peak && peak > 4 * p.noise)
    out.push_back({"offset.uncorrected", Severity::caution,
                   fmt::format("The zero of {} is known to {}, which is {} of its largest value.", name,
                               shown(errors.u_offset, unit, 2), in_percent(errors.u_offset / peak)),
                   "Zero the sensor with nothing in it."});
}

void check_edges(const Pass& pass, std::size_t k, const Reading& reading, std::vector<Doubt>& out) {
  const auto& trace = pass.trace(k);
  for (const char* name : {"rise_time", "fall_time"}) {
    const auto* edge = figure(pass, k, reading, name);
    if (!edge) continue;
    if (edge->value < kCoarse * trace.time.step()) {
      const double wanted = kCoarse / edge->value, fastest = pass.waveforms().fastest;
      Doubt doubt{"sampling.coarse", Severity::caution,
                  fmt::format("The edge of {} has {:.2g} samples; a time read from them rests on straight lines between "
                              "far points.",
                              trace.name, edge->value / trace.time.step()),
                  fmt::format("Sample at {} or faster.", shown(wanted, "Hz", 2))};
      if (fastest > 0 && wanted > fastest)
        doubt.remedy = fmt::format("The inputs reach {}, {} would be needed.", shown(fastest, "Hz"), shown(wanted, "Hz", 2));
      else if (fastest > 0)
        doubt.edits = {{"rate", format_setting(rounded_to(wanted, 2), "Hz")}};
      out.push_back(std::move(doubt));
    }
    const double bandwidth = pass.errors(k).bandwidth;
    if (!(bandwidth > 0)) continue;
    const double own = kEdgeOfBandwidth / bandwidth;
    if (edge->value >= kEdgeMargin * own) continue;
    const auto& slowest = pass.errors(k).slowest;
    const double true_edge = std::sqrt(std::max(0.0, edge->value * edge->value - own * own));
    std::string said = fmt::format("The edge of {} takes {}; the {} with {} alone makes {} of any step. ", trace.name,
                                   shown(edge->value, "s"), slowest.empty() ? "chain" : slowest, shown(bandwidth, "Hz"),
                                   shown(own, "s"));
    said += true_edge > own / 3 ? fmt::format("The edge itself is about {}", shown(true_edge, "s", 2))
                                : fmt::format("The edge itself may be anything below {}", shown(edge->value, "s", 2));
    const auto* peak = figure(pass, k, reading, "pulse.peak");
    const auto* width = figure(pass, k, reading, "pulse.fwhm");
    if (peak && width && width->value < 4 * own) said += ", and the peak is a lower bound";
    out.push_back({"bandwidth.limits_edge", Severity::caution, said + ".", "Use a faster sensor, or take the input's filter out."});
    // The other edge of the same trace says no more.
    break;
  }
}

void check_droop(const Pass& pass, std::size_t k, const Reading& reading, std::vector<Doubt>& out) {
  const double corner = pass.errors(k).low_corner;
  if (!(corner > 0)) return;
  const auto* width = figure(pass, k, reading, "width");
  if (!width) width = figure(pass, k, reading, "pulse.fwhm");
  const double seconds = width ? width->value : pass.trace(k).seconds();
  const double droop = 1 - std::exp(-2 * std::numbers::pi * corner * seconds);
  if (droop <= kDroop) return;
  out.push_back({"sensor.no_dc", droop > 0.2 ? Severity::serious : Severity::caution,
                 fmt::format("The sensor of {} gives nothing below {}: by the end of {} it has lost {} of a level that "
                             "stays.",
                             pass.trace(k).name, shown(corner, "Hz"), shown(seconds, "s"), in_percent(droop)),
                 "Use a shunt or a sensor that reaches down to DC."});
}

/// A channel that hardly moves where it should.
void check_lead(const Pass& pass, std::size_t k, std::vector<Doubt>& out) {
  const auto& foreseen = pass.waveforms().expected_swing;
  if (k >= foreseen.size() || !(foreseen[k] > 0)) return;
  const auto& p = pass.profile(k);
  const double moved = std::max(0.0, p.high - p.low - 8 * p.noise);
  if (moved >= kNotThere * foreseen[k] || foreseen[k] < 20 * p.noise) return;
  out.push_back({"lead.off", Severity::serious,
                 fmt::format("{} moves by {} where {} were foreseen: is its lead on?", pass.trace(k).name,
                             shown(p.high - p.low, pass.trace(k).unit, 2), shown(foreseen[k], pass.trace(k).unit, 2)),
                 "Check where it is connected, and its sensor.", {}, false, Place::hookup});
}

/// Two quantities whose delays are not known well enough for what is read of both.
void check_skew(const Pass& pass, const Reading& reading, const std::vector<std::string>& asked, std::vector<Doubt>& out) {
  const auto wanted = std::find_if(asked.begin(), asked.end(), [](const std::string& key) { return rests_on_skew(key); });
  if (wanted == asked.end() || !reading.find(*wanted) || pass.count() < 2) return;
  double unknown = 0, edge = INFINITY;
  for (std::size_t k = 0; k < pass.count(); ++k) {
    unknown = std::hypot(unknown, pass.errors(k).u_delay);
    for (const char* name : {"rise_time", "fall_time"})
      if (const auto* f = figure(pass, k, reading, name)) edge = std::min(edge, f->value);
  }
  if (unknown <= kSkew * edge) return;
  out.push_back({"skew.suspected", Severity::caution,
                 fmt::format("{} rests on edges of {}, and how late the inputs are against each other is known to {}.", *wanted,
                             shown(edge, "s", 2), shown(unknown, "s", 2)),
                 "Lay both inputs on one edge and put their difference right on the Hookup page.", {}, false, Place::hookup});
}

void check_noise(const Pass& pass, const Reading& reading, const std::vector<std::string>& asked, std::vector<Doubt>& out) {
  std::string names;
  bool wanted = false;
  std::size_t many = 0;
  for (const auto& f : reading.figures) {
    if (!f.u || f.of_nothing || f.value == 0 || f.unit == "%") continue;
    if (*f.u <= pass.settings().u_limit * std::abs(f.value)) continue;
    // Of figures that nobody asked for, those near zero say nothing: an offset's mean, a floor's minimum.
    const bool claimed = std::find(asked.begin(), asked.end(), f.key) != asked.end();
    if (!claimed && *f.u > 0.3 * std::abs(f.value)) continue;
    wanted = wanted || claimed;
    if (++many <= 2 * kNamed) names += (names.empty() ? "" : ", ") + f.label;
  }
  if (names.empty()) return;
  if (many > 2 * kNamed) names += fmt::format(" and {} more", many - 2 * kNamed);
  out.push_back(mended_by(Mend::average,
                          {"noise.limited", wanted ? Severity::caution : Severity::note,
                           fmt::format("These figures are known to no better than {}: {}.", in_percent(pass.settings().u_limit), names),
                           "Average repetitions, use more of the range, or a sensor with less noise."}));
}

void check_record(const Pass& pass, std::vector<Doubt>& out) {
  const auto& w = pass.waveforms();
  if (w.missed()) {
    const auto& edge = *w.waits_for;
    const auto k = w.place(edge.quantity);
    const auto level = k < pass.count() ? shown(edge.level, pass.trace(k).unit) : shown(edge.level, "");
    Doubt doubt{"trigger.missing", Severity::caution,
                (edge.pulse ? fmt::format("{} had no pulse beyond {} that {} is held against", edge.quantity, level, shown(*edge.pulse, "s"))
                            : fmt::format("{} did not pass {}", edge.quantity, level)) +
                    fmt::format(" within {}; the record is of the moment when that was over.", shown(edge.patience, "s")),
                "Wait longer.", {{"patience", format_setting(4 * edge.patience, "s")}}};
    if (k < pass.count()) {
      const auto& p = pass.profile(k);
      const auto& unit = pass.trace(k).unit;
      doubt.text += fmt::format(" It was between {} and {}.", shown(p.low, unit), shown(p.high, unit));
      // A level that would have come, where it moved by more than noise does within millions of samples.
      if (p.swing > 12 * p.noise && (edge.level < p.low || edge.level > p.high)) {
        const auto other = format_quantity(p.middle, unit, 2).plain();
        doubt.remedy = fmt::format("Wait for {}.", other);
        doubt.edits = {{"level", other}};
      }
    }
    out.push_back(std::move(doubt));
  }
  if (!w.deduced.empty()) out.push_back({"time.deduced", Severity::note, w.deduced, "Write times with more digits."});
  if (!w.gaps.empty()) {
    std::string places;
    for (std::size_t k = 0; k < std::min(kNamed, w.gaps.size()); ++k)
      places += (places.empty() ? "" : ", ") + shown(w.gaps[k], "s", 6);
    if (w.gaps.size() > kNamed) places += fmt::format(" and {} more places", w.gaps.size() - kNamed);
    out.push_back({"record.gaps", Severity::caution, fmt::format("Samples are missing after {}.", places),
                   "Limit what is analysed with from and to, or read again."});
  }
}

}  // namespace

Result<std::optional<Doubt>> averaging_doubt(const Waveforms& mean, const std::vector<WaveformsPtr>& passes) {
  for (std::size_t k = 0; k < mean.traces.size(); ++k) {
    const auto& trace = *mean.traces[k];
    const auto own = profile_of(trace, mean.errors[k], {0, trace.size()});
    if (!own) return tl::unexpected(own.error());
    double high = 0, low = 0, noise = 0;
    int many = 0;
    for (const auto& pass : passes) {
      const auto* other = pass->find(trace.name);
      if (!other || pass->missed()) continue;
      const auto p = profile_of(**other, pass->errors[pass->place(trace.name)], {0, (*other)->size()});
      if (!p) return tl::unexpected(p.error());
      high += p->high;
      low += p->low;
      noise = std::max(noise, p->noise);
      ++many;
    }
    if (many < 2) continue;
    const double beyond = std::max(high / many - own->high, own->low - low / many);
    // The highest of many noisy samples lies some five sigma out.
    if (beyond <= 5.5 * noise + kSmeared * (own->high - own->low)) continue;
    return Doubt{"averaging.peak", Severity::caution,
                 fmt::format("Each pass of {} goes {} beyond the mean of all: what comes at another time in each is smeared.",
                             trace.name, shown(beyond, trace.unit, 2)),
                 "Read peaks and edges without averaging: average=off."};
  }
  return std::nullopt;
}

std::vector<Doubt> find_doubts(const Pass& pass, const Reading& reading, const std::vector<std::string>& asked) {
  std::vector<Doubt> out;
  check_record(pass, out);
  for (std::size_t k = 0; k < pass.count(); ++k) {
    check_range(pass, k, out);
    check_edges(pass, k, reading, out);
    check_droop(pass, k, reading, out);
    check_lead(pass, k, out);
  }
  check_skew(pass, reading, asked, out);
  check_noise(pass, reading, asked, out);
  return out;
}

}  // namespace heron::study::waveform
