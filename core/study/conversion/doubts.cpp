#include "study/conversion/doubts.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/percent.h"
#include "base/quantity.h"
#include "signal/line_spectrum.h"
#include "study/clipping.h"
#include "study/conversion/plan.h"
#include "study/conversion/read_at.h"

namespace heron::study::conversion {
namespace {

constexpr double kUnsettled = 3;        ///< u, between halves, or between readings
constexpr double kBeyond = 2;           ///< u, by which an efficiency lies where none can
constexpr double kFolded = 0.02;        ///< of the setting
constexpr double kRippleOfInput = 0.02; ///< of the input, away from the switching lines
constexpr double kLeadLoss = 0.005;     ///< of the input power
constexpr double kShuntShare = 0.5;     ///< of its u, that a shunt's heat moves it by
constexpr double kUnused = 0.1;         ///< of a range
constexpr int kOnLimit = 3;             ///< points of a curve

std::string text_of(double value, std::string_view unit, int digits = 3) { return format_quantity(value, unit, digits).plain(); }
std::string where_of(const Evidence& e) { return fmt::format("at {} and {}", text_of(e.line, "V"), text_of(e.load, "A")); }
std::string where_of(const Row& r) { return fmt::format("at {} and {}", text_of(r.line_or_read(), "V"), text_of(r.iout(), "A")); }

/// One wrong channel, and what would explain it.
struct Explanation {
  std::string says;
  std::function<void(Row&)> put_right;
};
const std::vector<Explanation>& explanations() {
  const auto scale = [](Port p, double by) { return [=](Row& r) { r.of(p).value *= by; }; };
  static const std::vector<Explanation> all = {
      {"the input current stands the other way round", scale(Port::iin, -1)},
      {"the output current stands the other way round", scale(Port::iout, -1)},
      {"the input voltage stands the other way round", scale(Port::vin, -1)},
      {"the output voltage stands the other way round", scale(Port::vout, -1)},
      {"the input current reads a tenth of what it is: the factor of its sensor", scale(Port::iin, 10)},
      {"the output current reads ten times what it is: the factor of its sensor", scale(Port::iout, 0.1)},
      {"the input voltage reads a tenth of what it is: the factor of its probe", scale(Port::vin, 10)},
      {"the output voltage reads ten times what it is: the factor of its probe", scale(Port::vout, 0.1)},
      {"input and output are exchanged", [](Row& r) { std::swap(r.of(Port::vin), r.of(Port::vout)); std::swap(r.of(Port::iin), r.of(Port::iout)); }},
      {"the two voltages are exchanged", [](Row& r) { std::swap(r.of(Port::vin), r.of(Port::vout)); }},
      {"the two currents are exchanged", [](Row& r) { std::swap(r.of(Port::iin), r.of(Port::iout)); }},
  };
  return all;
}

/// How well a row fits what is known otherwise: the line and load that were set, the nominal output. Small is well.
double unfit(const Row& r, const Settings& settings) {
  const auto off = [](double read, double said) { return said == 0 ? 0.0 : read / said > 0 ? std::abs(std::log(read / said)) : 3; };
  double out = 0;
  if (r.line) out += off(r.vin(), *r.line);
  if (settings.nominal) out += off(r.vout(), *settings.nominal);
  if (r.load) out += off(r.iout(), *r.load);
  return out;
}

void check_efficiency(const Rows& rows, const Settings& settings, std::vector<Doubt>& out) {
  std::vector<const Row*> wrong;
  for (const auto& r : rows) {
    if (r.input_power() == 0) continue;
    const auto e = with_u({r}, [](const Rows& one) { return one[0].efficiency(); });
    if (e.value > 1 + kBeyond * e.u() || e.value < -kBeyond * e.u()) wrong.push_back(&r);
  }
  if (wrong.empty()) return;
  // What puts every point right that is wrong, and fits what is said of the settings best.
  const Explanation* best = nullptr;
  double least = INFINITY;
  for (const auto& one : explanations()) {
    double misfit = 0;
    bool explains = true;
    for (const auto* r : wrong) {
      Row mended = *r;
      one.put_right(mended);
      const double e = mended.efficiency();
      explains = explains && e > 0.02 && e < 1 && mended.output_power() > 0;
      misfit += unfit(mended, settings) + 0.05 * std::abs(std::log(std::max(e, 1e-3) / 0.8));
    }
    if (explains && misfit < least) {
      least = misfit;
      best = &one;
    }
  }
  const auto& worst = **std::max_element(wrong.begin(), wrong.end(), [](const Row* a, const Row* b) { return std::abs(a->efficiency() - 0.5) < std::abs(b->efficiency() - 0.5); });
  out.push_back(on_hookup({"efficiency.impossible", Severity::serious,
                           fmt::format("An efficiency of {:.3g} {} cannot be{}.", worst.efficiency(), where_of(worst), best ? ": perhaps " + best->says : ""),
                           best ? "Check that channel's place, direction and factor." : "Check the places, directions and factors of all four channels."}));
}

void check_bench(const std::vector<Evidence>& all, const Rows& rows, std::vector<Doubt>& out) {
  const auto row_of = [&](const Evidence& e) -> const Row* {
    const auto it = std::find_if(rows.begin(), rows.end(), [&](const Row& r) { return r.point == e.point; });
    return it == rows.end() ? nullptr : &*it;
  };
  const Evidence *folded = nullptr, *unsettled = nullptr, *moving = nullptr, *lost = nullptr, *warming = nullptr;
  double lost_share = 0;
  int limited = 0;
  // One of many comparisons exceeds 3 u by chance: the limit grows as the highest of so many deviates does.
  const double unsettled_from = std::sqrt(kUnsettled * kUnsettled + 2 * std::log(double(std::max<std::size_t>(1, all.size() * kPorts))));
  for (const auto& e : all) {
    if (!e.from_bench) continue;
    const auto* row = row_of(e);
    const double short_of = row && e.line_set && *e.line_set > 0 ? 1 - row->vin() / *e.line_set : 0;
    // Sensed at its own terminals a source holds them; what the leads lose is another matter.
    const double by_leads = row && e.line_set && *e.line_set > 0 && !e.sensed ? e.leads * std::abs(row->at(Port::iin)) / *e.line_set : 0;
    if ((e.limited || short_of - by_leads > kFolded) && !folded) folded = &e;
    limited += e.load_limited;
    if (e.halves > unsettled_from && (!unsettled || e.halves > unsettled->halves)) unsettled = &e;
    if (e.passes > 1 && !e.agreed && e.moved > kUnsettled && (!moving || e.moved > moving->moved)) moving = &e;
    // One that a watch ended before was not waited for.
    if (e.warming && !e.warming->rests && e.warming->read.size() >= kRestsOver && (!warming || std::abs(e.warming->by) > std::abs(warming->warming->by))) warming = &e;
    if (!row || e.sensed || row->input_power() == 0) continue;
    // Read at the device all the same: then nothing is lost to the figures.
    const double watts = e.lost_in_leads ? 0 : e.leads * (std::pow(row->at(Port::iin), 2) + std::pow(row->at(Port::iout), 2));
    if (const double share = watts / std::abs(row->input_power()); share > lost_share) {
      lost_share = share;
      lost = &e;
    }
  }
  if (folded)
    out.push_back(
        mended_by(Mend::raise_source_limit,
                  {"source.limit",
                   Severity::serious,
                   fmt::format("The source does not hold {} {}: {}.", text_of(folded->line_set.value_or(folded->line), "V"),
                               where_of(*folded), folded->limited ? "it stands at its current limit" : "its output lies over 2 % below"),
                   "Raise its current limit.",
                   {}}));
  if (limited >= kOnLimit) out.push_back({"compliance.reached", Severity::serious, fmt::format("The load stood at its own limit at {} points.", limited), "Take a smaller load."});
  if (unsettled)
    out.push_back(mended_by(
        Mend::settle,
        {"settling.short", Severity::caution,
         fmt::format("{} still moved by {} while it was read {}: {:.1f} times its uncertainty.", port_name(unsettled->halves_of),
                     text_of(std::abs(unsettled->halves_by), port_unit(unsettled->halves_of), 2), where_of(*unsettled), unsettled->halves),
         "Wait longer before each point."}));
  if (moving)
    out.push_back(mended_by(Mend::warm_up,
                            {"thermal.drift", Severity::caution,
                             fmt::format("{} moved by {} from one reading to the next {}, after {} of them: {:.1f} times its uncertainty.",
                                         port_name(moving->moved_of), text_of(std::abs(moving->moved_by), port_unit(moving->moved_of), 2),
                                         where_of(*moving), moving->passes, moving->moved),
                             "Let it warm up first, or wait longer at each point."}));
  if (warming)
    out.push_back(mended_by(Mend::warm_up, {"thermal.drift", Severity::caution,
                                            fmt::format("{} still moved by {} a minute {}, after {} of waiting.", warming->warming->place, text_of(std::abs(warming->warming->by), "K", 2), where_of(*warming),
                                                        format_duration(warming->warming->times.back())),
                                            "Let it warm up first, or let it rest within more."}));
  if (lost && lost_share > kLeadLoss)
    out.push_back({"leads.drop", Severity::serious,
                   fmt::format("Read at the terminals of source and load: their leads take {} of the input power {}.", in_percent(lost_share), where_of(*lost)), "Sense at the device's own pins.", {{"sensing", "at the device's pins"}}});
}

void check_shunts(const Rows& rows, const Settings& settings, std::vector<Doubt>& out) {
  for (const auto port : {Port::iin, Port::iout}) {
    const auto it = settings.shunts.find(std::string(port_name(port)));
    if (it == settings.shunts.end()) continue;
    const Row* worst = nullptr;
    for (const auto& r : rows)
      if (!worst || std::abs(r.at(port)) > std::abs(worst->at(port))) worst = &r;
    if (!worst) continue;
    const double current = worst->at(port), drift = it->second.drift(current), power = current * current * it->second.ohms;
    const auto& m = worst->read[std::size_t(port)];
    double squares = m.u * m.u;
    for (const auto& [source, effect] : m.shared) squares += effect * effect;
    const double u = current != 0 ? std::sqrt(squares) / std::abs(current) : 0;
    if (!(std::abs(drift) > kShuntShare * u) || drift == 0) continue;
    out.push_back({"shunt.drift", Severity::caution,
                   fmt::format("The shunt of {} takes {} at {}, warms by {:.3g} K and moves by {}.", port_name(port), text_of(power, "W"), text_of(current, "A"), power * it->second.thermal_resistance, in_percent(drift)),
                   "Take a shunt that warms less, or one of a smaller coefficient."});
  }
}

void check_noise(const Reading& reading, const Rows& rows, const Settings& settings, const std::vector<std::string>& asked, std::vector<Doubt>& out) {
  for (const auto& key : asked) {
    const auto* f = reading.find(key);
    if (!f || !f->u || f->value == 0 || f->of_nothing || !(*f->u > settings.u_limit * std::abs(f->value))) continue;
    if (f->u_between > 0.7 * *f->u) {
      out.push_back({"points.sparse", Severity::caution, fmt::format("{} lies between two points; between them it may be off by {}.", f->label, in_percent(f->u_between / std::abs(f->value))), "Read a load there."});
      continue;
    }
    const auto at = at_load(key);
    const bool loss = at && *at && (*at)->of == AskedOf::loss;
    out.push_back(mended_by(Mend::average, {"noise.limited", Severity::caution,
                                            fmt::format("{} is known to {}{}.", f->label, in_percent(*f->u / std::abs(f->value)),
                                                        loss ? ": it is a small difference of two large powers" : ""),
                                            "Average more readings, or take channels that are known better."}));
    return;
  }
  // A curve that is drawn says by itself nothing of what its lowest loads are worth.
  constexpr double kTenth = 0.1;
  const Row* dim = nullptr;
  double dimmest = kTenth;
  for (const auto& r : rows) {
    if (!r.whole || r.efficiency() == 0 || !std::isfinite(r.efficiency())) continue;
    const auto v = with_u({r}, [](const Rows& one) { return one[0].efficiency(); });
    if (const double share = v.u() / std::abs(v.value); share > dimmest) {
      dimmest = share;
      dim = &r;
    }
  }
  if (dim) {
    out.push_back({"noise.limited", Severity::note, fmt::format("The efficiency {} is known to {:.0f} % only.", where_of(*dim), 100 * dimmest), "Take channels that are known better at small currents."});
    return;
  }
  // Loss is what small errors of large powers fall on first.
  if (std::none_of(asked.begin(), asked.end(), [](const std::string& key) { return key.starts_with("loss"); })) return;
  const Row* worst = nullptr;
  double worst_share = 0;
  for (const auto& r : rows) {
    if (r.loss() <= 0) continue;
    const auto v = with_u({r}, [](const Rows& one) { return one[0].loss(); });
    if (const double share = v.u() / v.value; share > worst_share) {
      worst_share = share;
      worst = &r;
    }
  }
  constexpr double kHalf = 0.5;
  if (worst && worst_share > kHalf)
    out.push_back({"noise.limited", Severity::caution, fmt::format("The loss {} is known to {:.0f} % only: it is a small difference of two large powers.", where_of(*worst), 100 * worst_share),
                   "Take channels that are known better, or read the loss as heat."});
}

Result<void> check_inputs(const Waveforms& record, std::vector<Doubt>& out) {
  for (const auto port : kAllPorts) {
    const auto k = trace_of(record, port);
    if (!k) continue;
    const auto& trace = *record.traces[*k];
    const auto& errors = record.errors[*k];
    const auto ends = at_ends(trace, 0, trace.size());
    if (!ends) return tl::unexpected(ends.error());
    if (const auto end = clipped(*ends, errors, trace.size()); end && errors.highest)
      out.push_back({"input.clipped", Severity::serious, fmt::format("{} stands at the end of its range, {}.", trace.name, text_of(end->at, trace.unit)), "Take the next range up."});
    const double peak = std::max(std::abs(ends->low), std::abs(ends->high));
    if (errors.range && peak < kUnused * *errors.range)
      out.push_back({"range.underused", Severity::note, fmt::format("{} uses {} of its range of {}.", trace.name, in_percent(peak / *errors.range), text_of(*errors.range, trace.unit)), "Take the range that fits."});
  }
  return {};
}

/// What alternates at the input away from the device's own lines, peak to peak; and where most of it stands.
std::optional<std::pair<double, double>> foreign_ripple(const Trace& trace, std::optional<double> switching) {
  constexpr std::size_t kLeast = 64, kMost = 1 << 18;
  if (!trace.time.even() || trace.size() < kLeast) return std::nullopt;
  std::vector<double> v(std::min(trace.size(), kMost));
  if (!trace.read(0, v)) return std::nullopt;
  const auto spectrum = signal::line_spectrum(v, 1 / trace.time.step(), signal::Window::hann);
  constexpr double kNear = 0.02, kHannNoise = 1.5;
  double squares = 0, largest = 0, at = 0;
  for (std::size_t k = 3; k < spectrum.rms.size(); ++k) {
    const double f = double(k) * spectrum.line;
    if (switching) {
      const double order = std::max(1.0, std::round(f / *switching));
      if (std::abs(f - order * *switching) < std::max(kNear * *switching, 4 * spectrum.line)) continue;
    }
    squares += spectrum.rms[k] * spectrum.rms[k] / kHannNoise;
    if (spectrum.rms[k] > largest) {
      largest = spectrum.rms[k];
      at = f;
    }
  }
  return std::pair{2 * std::numbers::sqrt2 * std::sqrt(squares), at};
}

void check_source(const Waveforms& record, std::optional<double> switching, std::vector<Doubt>& out) {
  const auto k = trace_of(record, Port::vin);
  if (!k) return;
  const auto& trace = *record.traces[*k];
  const auto blocks = trace.blocks();
  if (!blocks) return;
  const auto ripple = foreign_ripple(trace, switching);
  std::vector<double> first(std::min<std::size_t>(trace.size(), 4096));
  if (!ripple || !trace.read(0, first)) return;
  double mean = 0;
  for (const double x : first) mean += x / double(first.size());
  if (!(ripple->first > kRippleOfInput * std::abs(mean))) return;
  out.push_back({"source.oscillates", Severity::serious,
                 fmt::format("The input swings by {} pk-pk, {} of it, mostly at {}{}.", text_of(ripple->first, "V"), in_percent(ripple->first / std::abs(mean)), text_of(ripple->second, "Hz"), switching ? ", which is not a line of the switching" : ""),
                 "Shorten the leads of the source, put a capacitor at the device's input, or raise the current limit."});
}

}  // namespace

Result<std::vector<Doubt>> find_doubts(const Rows& rows, const std::vector<Evidence>& evidence, const std::vector<SteppedRecordPtr>& records, const Reading& reading, const Settings& settings,
                                       const std::vector<std::string>& asked) {
  std::vector<Doubt> out;
  check_efficiency(rows, settings, out);
  check_bench(evidence, rows, out);
  check_shunts(rows, settings, out);
  check_noise(reading, rows, settings, asked, out);
  for (const auto& e : evidence) {
    if (!e.record) continue;
    if (auto ok = check_inputs(*e.record, out); !ok) return tl::unexpected(ok.error());
    check_source(*e.record, settings.switching ? settings.switching : e.switching, out);
  }
  for (const auto& record : records) {
    if (auto ok = check_inputs(*record->record, out); !ok) return tl::unexpected(ok.error());
    if (record->stepped != Port::vin) check_source(*record->record, settings.switching, out);
  }
  std::vector<Doubt> once;
  for (auto& d : out)
    if (std::none_of(once.begin(), once.end(), [&](const Doubt& before) { return before.key == d.key; })) once.push_back(std::move(d));
  return once;
}

}  // namespace heron::study::conversion
