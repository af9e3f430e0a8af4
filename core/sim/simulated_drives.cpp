#include <algorithm>
#include <cmath>
#include <numbers>

#include "sim/wired.h"

namespace heron::sim {

using std::numbers::pi;

Result<bench::AppliedDrive> SimulatedBench::drive(const bench::ToneDrive& wanted) {
  const auto& g = data_.generator;
  if (wanted.compliance) return force_tone(wanted);
  if (!(wanted.frequency >= g.lowest_frequency && wanted.frequency <= g.highest_frequency))
    return fail(Fault::bench, "The generator cannot give {}; it reaches from {} to {}.",
                format_setting(wanted.frequency, "Hz"), format_setting(g.lowest_frequency, "Hz"),
                format_setting(g.highest_frequency, "Hz"));
  const double reach = wanted.peak_to_peak + 2 * std::abs(wanted.offset);
  if (!(wanted.peak_to_peak > 0) || reach > g.highest_level_pp * (1 + 1e-9))
    return fail(Fault::bench, "The generator cannot give {} pk-pk with {} offset; its limit is {} pk-pk in all.",
                volts(wanted.peak_to_peak), volts(wanted.offset), volts(g.highest_level_pp));
  if (!(wanted.source_resistance > 0)) return fail(Fault::bench, "The source resistance must be above zero.");
  const double peak = wanted.peak_to_peak / 2;
  if (auto ok = allow(wanted.pin, peak + wanted.offset, peak - wanted.offset); !ok) return tl::unexpected(ok.error());

  bench::ToneDrive set = wanted;
  const double count = g.range_for(reach) / double(1 << g.bits);
  set.peak_to_peak = std::max(1.0, std::round(wanted.peak_to_peak / count)) * count;
  set.offset = std::round(wanted.offset / count) * count;
  set.frequency = std::max(1.0, std::round(wanted.frequency / g.frequency_step)) * g.frequency_step;

  return put_tone(set, g.setting_time);
}

/// In phase: at the instant of the change the old and the new sine stand at the same angle.
bench::AppliedDrive SimulatedBench::put_tone(const bench::ToneDrive& set, double setting_time) {
  const bool fresh = !tone_;
  change();
  if (fresh) phase_ = -pi / 2;
  tone_ = set;
  elapsed_ += setting_time;
  return {set.frequency, set.peak_to_peak, set.offset};
}

Result<bench::AppliedDrive> SimulatedBench::force_tone(const bench::ToneDrive& wanted) {
  const auto& d = data_.source;
  const double reach = wanted.peak_to_peak / 2 + std::abs(wanted.offset);
  if (!(wanted.frequency >= data_.generator.lowest_frequency && wanted.frequency <= d.highest_frequency))
    return fail(Fault::bench, "The source-measure channel cannot force a sine of {}; it follows up to {}.",
                format_setting(wanted.frequency, "Hz"), format_setting(d.highest_frequency, "Hz"));
  if (!(wanted.peak_to_peak > 0)) return fail(Fault::bench, "The level must be above zero.");
  if (auto ok = check_channel({.pin = wanted.pin, .value = reach, .compliance = *wanted.compliance}); !ok)
    return tl::unexpected(ok.error());
  auto set = wanted;
  const auto range = std::find_if(d.voltage_ranges.begin(), d.voltage_ranges.end() - 1,
                                  [&](double r) { return reach <= r * (1 + 1e-9); });
  const double step = d.set_step * *range;
  set.peak_to_peak = std::max(1.0, std::round(wanted.peak_to_peak / step)) * step;
  set.offset = std::round(wanted.offset / step) * step;
  set.frequency =
      std::max(1.0, std::round(wanted.frequency / data_.generator.frequency_step)) * data_.generator.frequency_step;
  return put_tone(set, data_.generator.setting_time);
}

Result<void> SimulatedBench::generate(const bench::GeneratorSetup& wanted) {
  using Shape = bench::Waveform::Shape;
  const auto& g = data_.generator;
  if (wanted.generator < 0 || wanted.generator >= g.outputs)
    return fail(Fault::bench, "There is no generator {}; the bench has {}.", wanted.generator + 1, g.outputs);
  if (!(wanted.source_resistance > 0)) return fail(Fault::bench, "The source resistance must be above zero.");
  bench::GeneratorSetup set = wanted;
  auto& w = set.wave;
  double high = 0, low = 0, fastest = bench::kNoCorner;
  switch (w.shape) {
    case Shape::steady:
      break;
    case Shape::sine:
      high = std::abs(w.peak);
      low = -high;
      w.second = g.second_harmonic;
      w.third = g.third_harmonic;
      if (!(w.frequency >= g.lowest_frequency && w.frequency <= g.highest_frequency))
        return fail(Fault::bench, "The generator cannot give {}.", format_setting(w.frequency, "Hz"));
      break;
    case Shape::noise:
      // Peaks beyond five sigma would be cut; one in two million is.
      high = 5 * w.rms;
      low = -high;
      if (!(w.bandwidth > 0 && w.bandwidth <= g.highest_frequency))
        return fail(Fault::bench, "The generator's noise reaches {} at most.",
                    format_setting(g.highest_frequency, "Hz"));
      break;
    case Shape::lines:
      if (w.points.empty()) return fail(Fault::bench, "The list of points is empty.");
      high = low = w.points.front().second;
      for (std::size_t k = 0; k < w.points.size(); ++k) {
        const auto& [t, v] = w.points[k];
        if (!std::isfinite(t) || !std::isfinite(v) || (k > 0 && !(t > w.points[k - 1].first)))
          return fail(Fault::bench, "Point {} of the list: times must rise and values be numbers.", k + 1);
        high = std::max(high, v);
        low = std::min(low, v);
        if (k > 0 && v != w.points[k - 1].second) fastest = std::min(fastest, t - w.points[k - 1].first);
      }
      if (w.period > 0 && w.period < w.points.back().first)
        return fail(Fault::bench, "The period ends before the last point.");
      break;
  }
  high += w.offset;
  low += w.offset;
  const double reach = 2 * std::max(std::abs(high), std::abs(low));
  if (!(reach <= g.highest_level_pp * (1 + 1e-9)))
    return fail(Fault::bench, "The generator cannot reach {}; its limit is {} peak open circuit.", volts(reach / 2),
                volts(g.highest_level_pp / 2));
  if (fastest < g.fastest_edge * (1 - 1e-9))
    return fail(Fault::bench, "An edge of {} is faster than the generator's {}.", format_setting(fastest, "s"),
                format_setting(g.fastest_edge, "s"));
  if (auto ok = allow(wanted.pin, high, -low); !ok) return ok;
  // 14 bits of the attenuator's range.
  const double count = g.range_for(reach) / double(1 << g.bits);
  const auto rounded = [&](double v) { return std::round(v / count) * count; };
  w.offset = rounded(w.offset);
  w.peak = rounded(w.peak);
  for (auto& [t, v] : w.points) v = rounded(v);
  change();
  generators_[wanted.generator] = set;
  elapsed_ += g.setting_time;
  return {};
}

/// Nothing is asked of a source-measure channel that it cannot give or that the pin does not bear.
Result<void> SimulatedBench::check_channel(const bench::SourceMeasureSetup& s) const {
  const auto& d = data_.source;
  if (s.channel < 0 || s.channel >= d.channels)
    return fail(Fault::bench, "There is no source-measure channel {}; the bench has {}.", s.channel + 1, d.channels);
  const bool by_voltage = s.force == bench::Force::voltage;
  const double v = by_voltage ? std::abs(s.value) : s.compliance, i = by_voltage ? s.compliance : std::abs(s.value);
  if (!(s.compliance > 0)) return fail(Fault::bench, "The compliance must be above zero.");
  if (!(v <= d.highest_voltage) || !(i <= d.highest_current))
    return fail(Fault::bench, "The channel reaches {} and {}; {} and {} are asked.", volts(d.highest_voltage),
                format_setting(d.highest_current, "A"), volts(v), format_setting(i, "A"));
  if (s.steps_to) {
    if (!by_voltage || !(std::abs(*s.steps_to) <= d.highest_voltage)) return fail(Fault::bench, "The channel steps between two voltages up to {}.", volts(d.highest_voltage));
    if (!(s.period > 4 * std::max(s.edge, d.slew_time))) return fail(Fault::bench, "The channel's period is too short for edges of {}.", format_setting(std::max(s.edge, d.slew_time), "s"));
    if (auto ok = *s.steps_to < 0 ? allow(s.pin, 0, -*s.steps_to) : allow(s.pin, *s.steps_to, 0); !ok) return ok;
  }
  // What is limited takes the sign of what is forced.
  if (auto ok = s.value < 0 ? allow(s.pin, 0, v) : allow(s.pin, v, 0); !ok) return ok;
  if (const auto it = circuit_.ratings.find(s.pin); it != circuit_.ratings.end())
    if (const auto rating = it->second.current_towards(s.value); rating && i > *rating)
      return fail(Fault::bench, "{} could see {}; its rating is {}. Lower the {}.", s.pin, format_setting(i, "A"),
                  format_setting(*rating, "A"), by_voltage ? "compliance" : "current");
  if (const auto node = node_of(s.against); !node) return tl::unexpected(node.error());
  return {};
}

Result<void> SimulatedBench::source(const bench::SourceMeasureSetup& s) {
  if (auto ok = check_channel(s); !ok) return ok;
  change();
  // From where the channel stands, as its output slews; one that was off or forced something else starts at rest.
  const auto before = sources_.find(s.channel);
  source_starts_[s.channel] = before != sources_.end() && before->second.force == s.force && before->second.pin == s.pin
                                  ? before->second.value
                                  : 0;
  sources_[s.channel] = s;
  elapsed_ += data_.source.setting_time;
  return {};
}

Result<void> SimulatedBench::load(const bench::LoadSetup& s) {
  const auto& d = data_.load;
  if (const auto node = node_of(s.pin); !node) return tl::unexpected(node.error());
  const double highest = s.mode == bench::LoadMode::current ? d.highest_current
                         : s.mode == bench::LoadMode::power ? d.highest_power
                                                            : bench::kNoCorner;
  if (!(s.value >= 0 && s.value <= highest) || (s.mode == bench::LoadMode::resistance && !(s.value > 0)))
    return fail(Fault::bench, "The electronic load takes up to {} and {}, or a resistance above zero.",
                format_setting(d.highest_current, "A"), format_setting(d.highest_power, "W"));
  if (s.steps_to) {
    if (s.mode != bench::LoadMode::current || !(*s.steps_to >= 0 && *s.steps_to <= d.highest_current))
      return fail(Fault::bench, "The electronic load steps between two currents up to {}.", format_setting(d.highest_current, "A"));
    if (!(s.period > 4 * std::max(s.edge, d.fastest_edge))) return fail(Fault::bench, "The load's period is too short for edges of {}.", format_setting(std::max(s.edge, d.fastest_edge), "s"));
  }
  change();
  load_ = s;
  return {};
}

void add_idle_lead(Circuit& circuit) {
  circuit.parts.push_back(
      make_part("bench:idle lead", "resistor", {"bench:idle lead", std::string(kGround)}, {{"value", 1}}));
  circuit.branches[std::string(bench::kDriveLead)] = {"bench:idle lead", 0};
}

/// All that drives, as parts.
Result<void> SimulatedBench::add_sources(Circuit& whole) const {
  const std::string ground(kGround), drive_lead(bench::kDriveLead);
  const auto generator = [&](const std::string& name, const Waveform& wave, const std::string& pin, double ohms) {
    Part emf = make_part(kGenerator + name, "voltage source", {"bench:emf " + name, ground}, {});
    emf.wave = wave;
    whole.parts.push_back(emf);
    whole.parts.push_back(
        make_part("bench:source " + name, "resistor", {"bench:emf " + name, circuit_.pins.at(pin)}, {{"value", ohms}}));
    whole.branches.try_emplace(drive_lead, Branch{"bench:source " + name, 0});
  };
  if (tone_) {
    const Waveform wave{.shape = Waveform::Shape::sine,
                        .offset = tone_->offset,
                        .peak = tone_->peak_to_peak / 2,
                        .frequency = tone_->frequency,
                        .phase = phase_,
                        .second = data_.generator.second_harmonic,
                        .third = data_.generator.third_harmonic};
    if (tone_->compliance) {
      const std::string pin = circuit_.pins.at(tone_->pin), emf = "bench:emf tone", force = "bench:force tone";
      Part source = make_part(kGenerator + std::string("tone"), "voltage source", {emf, ground}, {});
      source.wave = wave;
      whole.parts.push_back(source);
      // Holds its own terminal; what the lead loses, the chain that senses the pin sees.
      whole.parts.push_back(make_part("bench:force source tone", "limited voltage", {force, ground, force, emf},
                                      {{"value", 0}, {"current_limit", *tone_->compliance}, {"resistance", 1e-4}}));
      whole.parts.push_back(
          make_part("bench:lead out tone", "resistor", {force, pin}, {{"value", data_.source.lead_resistance}}));
      whole.branches[drive_lead] = {"bench:lead out tone", 0};
    } else {
      generator("tone", wave, tone_->pin, tone_->source_resistance);
    }
  }
  for (const auto& [k, g] : generators_) generator(std::to_string(k), g.wave, g.pin, g.source_resistance);
  for (const auto& [k, s] : sources_) {
    const std::string id = " " + std::to_string(k), force = "bench:force" + id, back = "bench:return" + id,
                      lead = "bench:lead" + id;
    const std::string pin = *node_of(s.pin), against = *node_of(s.against);
    const double step = data_.source.set_step;
    const auto range_of = [](const auto& ranges, double value) {
      const auto it = std::find_if(ranges.begin(), ranges.end(), [&](double r) { return std::abs(value) <= r; });
      return it == ranges.end() ? ranges.back() : *it;
    };
    if (s.force == bench::Force::voltage) {
      const double range = range_of(data_.source.voltage_ranges, s.value);
      const bool four = s.four_wire;
      // The output slews, and rounds its corners as an amplifier does: what a capacitance at the pin draws stays
      // smooth.
      constexpr double kOhms = 1e3;
      const std::string emf = "bench:emf" + id, slewed = "bench:slewed" + id, low = four ? against : back;
      Part wanted = make_part("bench:wanted" + id, "voltage source", {emf, low}, {});
      const double from = source_starts_.at(k), to = std::round(s.value / (step * range)) * step * range;
      wanted.wave = s.steps_to ? bench::to_and_fro(s.value, *s.steps_to, s.period, std::max(s.edge, data_.source.slew_time))
                               : Waveform{.shape = Waveform::Shape::lines, .points = {{0, from}, {data_.source.slew_time, to}}};
      whole.parts.push_back(wanted);
      whole.parts.push_back(make_part("bench:slew r" + id, "resistor", {emf, slewed}, {{"value", kOhms}}));
      whole.parts.push_back(make_part("bench:slew c" + id, "capacitor", {slewed, low},
                                      {{"value", 0.5 * data_.source.slew_time / kOhms}}));
      whole.parts.push_back(make_part("bench:force source" + id, "limited voltage",
                                      {force, back, four ? pin : force, slewed},
                                      {{"value", 0}, {"current_limit", s.compliance}, {"resistance", 1e-4}}));
    } else {
      const double range = range_of(data_.source.current_ranges, s.value);
      whole.parts.push_back(make_part("bench:force source" + id, "limited current", {force, back},
                                      {{"value", std::round(s.value / (step * range)) * step * range},
                                       {"voltage_limit", s.compliance},
                                       {"resistance", 1.0}}));
    }
    whole.parts.push_back(make_part("bench:ammeter of" + id, "voltage source", {force, lead}, {}));
    whole.parts.push_back(
        make_part("bench:lead out" + id, "resistor", {lead, pin}, {{"value", data_.source.lead_resistance}}));
    whole.parts.push_back(
        make_part("bench:lead back" + id, "resistor", {back, against}, {{"value", data_.source.lead_resistance}}));
  }
  add_events(whole);
  if (load_) add_load(whole);
  if (!whole.branches.contains(drive_lead)) add_idle_lead(whole);
  return {};
}

}  // namespace heron::sim
