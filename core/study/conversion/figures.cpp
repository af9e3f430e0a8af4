#include "study/conversion/figures.h"

#include <algorithm>
#include <cmath>

#include "base/quantity.h"
#include "study/conversion/loss_split.h"
#include "study/conversion/maximum.h"
#include "study/conversion/read_at.h"
#include "study/conversion/regulation.h"
#include "study/watched.h"

namespace heron::study::conversion {
namespace {

/// What a figure is read from.
enum class From : std::uint8_t {
  curve,   ///< one line over load, input and output
  output,  ///< the output's points
  record   ///< samples over time
};
struct NamedFigure {
  const char *key, *label, *unit;
  From from;
  bool of_nothing = false;  ///< wanted to be zero
};
constexpr NamedFigure kMax = {"efficiency.max", "Highest efficiency", "1", From::curve}, kMaxAt = {"efficiency.max.at", "Output current at the highest efficiency", "A", From::curve},
                      kLineRegulation = {"regulation.line", "Line regulation", "V", From::output, true}, kLinePercent = {"regulation.line.percent", "Line regulation, relative", "%", From::output, true},
                      kLinePerVolt = {"regulation.line.percent_per_volt", "Line regulation per volt", "%/V", From::output, true},
                      kLoadRegulation = {"regulation.load", "Load regulation", "V", From::output, true}, kLoadPercent = {"regulation.load.percent", "Load regulation, relative", "%", From::output, true},
                      kRipple = {"ripple", "Ripple", "V", From::record, true}, kDip = {"transient.dip", "Dip at a load step", "V", From::record, true},
                      kOvershoot = {"transient.overshoot", "Overshoot at a load step", "V", From::record, true}, kRecovery = {"transient.recovery", "Recovery from a load step", "s", From::record},
                      kIdle = {"power.idle", "Input power at no load", "W", From::curve}, kFixed = {"loss.fixed", "Fixed part of the loss", "W", From::curve},
                      kLinear = {"loss.linear", "Proportional part of the loss", "V", From::curve, true}, kSquare = {"loss.square", "Square-law part of the loss", "ohm", From::curve},
                      kResidual = {"loss.residual", "Loss that its parts do not explain", "W", From::curve}, kAccuracy = {"accuracy.output", "Accuracy of the output", "%", From::output, true};
constexpr NamedFigure kFigures[] = {kMax, kMaxAt, kLineRegulation, kLinePercent, kLinePerVolt, kLoadRegulation, kLoadPercent, kRipple, kDip, kOvershoot, kRecovery, kIdle, kFixed, kLinear, kSquare, kResidual, kAccuracy};

constexpr double kNoLoad = 1e-3;  ///< of the highest output current, under which there is none
constexpr const char* kNotAll = "input and output are not all there";

std::optional<double> known(double u) { return u > 0 ? std::optional(u) : std::nullopt; }

void add(Reading& into, const NamedFigure& n, const Value& v, std::vector<double> at = {}) {
  into.figures.push_back({.key = n.key, .label = n.label, .value = v.value, .unit = n.unit, .u = known(v.u()), .at = std::move(at), .of_nothing = n.of_nothing});
}
void absent(Reading& into, std::initializer_list<NamedFigure> all, const std::string& reason) {
  for (const auto& n : all) into.absent.push_back({n.key, reason, n.label});
}
void absent_all(Reading& into, From from, const std::string& reason) {
  for (const auto& n : kFigures)
    if (n.from == from) absent(into, {n}, reason);
}

void add_regulation(const Rows& rows, const Settings& settings, Reading& out) {
  if (const auto line = line_regulation(rows, settings)) {
    add(out, kLineRegulation, line->volts);
    add(out, kLinePercent, line->percent);
    add(out, kLinePerVolt, line->per_volt);
  } else {
    absent(out, {kLineRegulation, kLinePercent, kLinePerVolt}, "no load was read at two lines");
  }
  if (const auto load = load_regulation(rows, settings)) {
    add(out, kLoadRegulation, load->volts);
    add(out, kLoadPercent, load->percent);
  } else {
    absent(out, {kLoadRegulation, kLoadPercent}, "no line was read at two loads");
  }
}

void add_accuracy(const Rows& rows, const Settings& settings, Reading& out) {
  if (!settings.nominal || *settings.nominal == 0) return absent(out, {kAccuracy}, "nominal is not set");
  const double nominal = *settings.nominal;
  const auto worst = std::max_element(rows.begin(), rows.end(), [&](const Row& a, const Row& b) { return std::abs(a.vout() - nominal) < std::abs(b.vout() - nominal); });
  add(out, kAccuracy, with_u({*worst}, [&](const Rows& r) { return 100 * (r[0].vout() - nominal) / nominal; }));
}

/// What is read off one curve over load.
void add_of_curve(const std::vector<LoadCurve>& curves, const Settings& settings, Reading& out) {
  const auto curve = chosen(curves, settings);
  if (!curve) return absent_all(out, From::curve, curve.error());
  const auto& rows = (*curve)->rows;
  if (const auto top = highest_efficiency(**curve)) {
    add(out, kMax, top->efficiency, {top->at.value});
    add(out, kMaxAt, top->at, {top->at.value});
  } else {
    absent(out, {kMax, kMaxAt}, "no power goes in");
  }
  double highest = 0;
  for (const auto& r : rows) highest = std::max(highest, std::abs(r.iout()));
  const auto idle = std::find_if(rows.begin(), rows.end(), [&](const Row& r) { return std::abs(r.iout()) < kNoLoad * highest; });
  if (idle != rows.end()) add(out, kIdle, with_u({*idle}, [](const Rows& r) { return r[0].input_power(); }));
  else absent(out, {kIdle}, "no point was read without a load");
  if (const auto split = loss_split(**curve)) {
    add(out, kFixed, split->fixed);
    add(out, kLinear, split->linear);
    add(out, kSquare, split->square);
    add(out, kResidual, {split->residual});
  } else {
    absent(out, {kFixed, kLinear, kSquare, kResidual}, fmt::format("it wants {} loads at one line that lie apart", kSplitLoads));
  }
}

void add_asked(const Rows& rows, const std::vector<LoadCurve>& curves, const Settings& settings, const std::string& key, const AtLoad& asked, Reading& out) {
  const auto& n = about(asked.of);
  const auto label = fmt::format("{} at {}", n.label, format_setting(asked.current, "A"));
  const auto add_it = [&](const Value& v, double u_between) {
    out.figures.push_back({.key = key, .label = label, .value = v.value, .unit = n.unit, .u = known(std::hypot(v.u(), u_between)), .at = {asked.current}, .u_between = u_between});
  };
  const auto no = [&](const std::string& why) { out.absent.push_back({key, why, label}); };
  if (asked.of == AskedOf::dropout) {
    const auto v = dropout_at(rows, asked.current, settings);
    return v ? add_it(*v, 0) : no(v.error());
  }
  const auto curve = chosen(curves, settings, &asked);
  if (!curve) return no(curve.error());
  const auto v = read_at(**curve, asked.current, asked.of == AskedOf::loss);
  return v ? add_it(v->first, v->second) : no(v.error());
}

/// What records alone can say.
void add_of_records(const std::vector<SteppedRecordPtr>& records, Reading& out) {
  const Ripple* ripple = nullptr;
  const LoadStep *dip = nullptr, *overshoot = nullptr, *recovery = nullptr;
  bool never = false;
  for (const auto& record : records) {
    if (record->ripple && (!ripple || record->ripple->peak_to_peak > ripple->peak_to_peak)) ripple = &*record->ripple;
    for (const auto& s : record->load_steps) {
      if (!dip || s.dip > dip->dip) dip = &s;
      if (!overshoot || s.overshoot > overshoot->overshoot) overshoot = &s;
      never = never || !s.recovery;
      if (s.recovery && (!recovery || *s.recovery > *recovery->recovery)) recovery = &s;
    }
  }
  if (ripple) add(out, kRipple, {ripple->peak_to_peak, ripple->u});
  else absent(out, {kRipple}, "it is read from a record of vout over time, never from points");
  if (!dip) return absent(out, {kDip, kOvershoot, kRecovery}, records.empty() ? "it is read from a record with steps of the load" : "the load makes no step in the record");
  add(out, kDip, {dip->dip, dip->u_dip}, {dip->lowest_at});
  add(out, kOvershoot, {overshoot->overshoot, overshoot->u_overshoot}, {overshoot->highest_at});
  if (never) return absent(out, {kRecovery}, "the output does not come back within settle_band before the next step");
  add(out, kRecovery, {*recovery->recovery, recovery->u_recovery}, {recovery->at, recovery->at + *recovery->recovery});
}

}  // namespace

std::vector<FigureName> figure_names() {
  std::vector<FigureName> out;
  for (const auto& n : kAtLoad) out.push_back({n.label, n.key, n.unit, "A"});
  for (const auto& n : kFigures) out.push_back({n.label, n.key, n.unit});
  return out;
}

std::optional<std::string> figure_unit(std::string_view key) {
  if (const auto watch = watch_key(key)) return watch->figure->unit;
  for (const auto& n : kFigures)
    if (key == n.key) return n.unit;
  for (const auto& n : kAtLoad)
    if (key.substr(0, key.find('@')) == n.key) return n.unit;
  return std::nullopt;
}

Result<void> check_figure_key(std::string_view key) {
  if (watch_key(key)) return {};
  for (const auto& n : kFigures)
    if (key == n.key) return {};
  const auto asked = at_load(key);
  if (!asked) return tl::unexpected(asked.error());
  if (*asked) return {};
  return fail(Fault::usage, "There is no figure \"{}\" of conversion.", key);
}

Result<Reading> figures_of(const Rows& all, const std::vector<SteppedRecordPtr>& records, const Settings& settings, const std::vector<std::string>& asked) {
  Reading out;
  const auto rows = within_limits(all, settings);
  const auto curves = load_curves(rows);
  const bool whole = std::all_of(rows.begin(), rows.end(), [](const Row& r) { return r.whole; });
  const char* const why_none = rows.empty() && !all.empty() ? "no point lies within the limits of line and load" : kNotAll;
  if (rows.empty()) {
    for (const auto from : {From::curve, From::output}) absent_all(out, from, why_none);
  } else {
    if (whole) add_of_curve(curves, settings, out);
    else absent_all(out, From::curve, kNotAll);
    add_regulation(rows, settings, out);
    add_accuracy(rows, settings, out);
  }
  add_of_records(records, out);
  if (!records.empty()) {
    const auto& record = *records.back()->record;
    const auto all_of = [&](std::size_t k) { return std::pair{std::size_t(0), record.traces[k]->size()}; };
    if (auto ok = read_watches(record, settings.watches, all_of, out); !ok) return tl::unexpected(ok.error());
  }
  for (const auto& key : asked) {
    if (out.find(key) || std::any_of(out.absent.begin(), out.absent.end(), [&](const Absent& a) { return a.key == key; })) continue;
    const auto at = at_load(key);
    if (!at) return tl::unexpected(at.error());
    if (*at && !rows.empty() && whole) add_asked(rows, curves, settings, key, **at, out);
    else if (*at) out.absent.push_back({key, why_none, key});
    else if (const auto watch = watch_key(key)) out.absent.push_back({key, records.empty() ? "there is no record" : fmt::format("there is no watch \"{}\" among the settings", watch->watch), key});
    else out.absent.push_back({key, "the data do not have it", key});
  }
  return out;
}

}  // namespace heron::study::conversion
