#include "study/waveform/words.h"

#include <algorithm>
#include <cmath>

#include "study/feed.h"
#include "study/hookup_words.h"
#include "study/waveform/points.h"

namespace heron::study::waveform {
namespace {

const Choices<Drive> kDrives = {{Drive::generator, "generator", "the generator"},
                                {Drive::supply, "supply", "the DC source switched on", {"the dc source", "dc source", "supply"}},
                                {Drive::surge, "surge", "the surge generator", {"surge generator"}},
                                {Drive::contact, "contact", "a person", {"contact", "by hand", "person"}},
                                {Drive::nothing, "nothing", "nothing", {"none", "itself"}}};
const Choices<Shape> kShapes = {{Shape::pulse, "pulse", "pulses"},         {Shape::step, "step", "a step"},
                                {Shape::sine, "sine", "a sine"},           {Shape::burst, "burst", "a burst of sines", {"sines"}},
                                {Shape::ramp, "ramp", "ramps"},            {Shape::staircase, "staircase", "a staircase", {"stairs"}},
                                {Shape::points, "points", "points", {"a list", "list", "a file", "file"}}};
const Choices<When> kWhens = {{When::start, "start", "the drive starts", {"the start", "start of the drive"}},
                              {When::edge, "edge", "an edge comes", {"an edge"}},
                              {When::narrow_pulse, "narrow pulse", "a pulse is narrower than", {"narrower"}},
                              {When::wide_pulse, "wide pulse", "a pulse is wider than", {"wider"}},
                              {When::at_once, "at once", "at once", {"now"}}};
const Choices<bool> kMoves = {{false, "opens", "opens", {"open"}}, {true, "closes", "closes", {"close"}}};
const Choices<Slope> kSlopes = {{Slope::rising, "rising", "rises"}, {Slope::falling, "falling", "falls"}};
const Choices<Slope> kSides = {{Slope::rising, "rising", "above", {"up"}}, {Slope::falling, "falling", "below", {"down"}}};
const Choices<Keep> kKeeps = {{Keep::all, "all", "keeping all", {"all"}},
                              {Keep::tripped, "tripped", "keeping the first that trips a watch", {"the first that trips", "a watch", "tripped"}}};
const Choices<Repeat> kRepeats = {{Repeat::once, "once", "once"},
                                  {Repeat::every, "every", "again and again, keeping all", {"keeping all", "all"}},
                                  {Repeat::last, "last", "again and again, keeping the last", {"keeping the last", "again"}}};

/// A period, said as such or as a frequency.
Word<Plan> period_word() {
  const auto as_frequency = [](const Plan&, std::string_view text) -> Result<std::optional<double>> {
    const auto q = parse_quantity(text, "");
    return q && q->unit == "Hz" && q->value > 0 ? std::optional(1 / q->value) : std::nullopt;
  };
  auto out = number_word<Plan>("period", "period", "From one to the next", &Plan::period, "s", {1e-8, 1e4}, {}, as_frequency);
  out.hint = [](const Plan& p, const Surroundings&) {
    return BriefHint{.forms = format_setting(1 / p.period, "Hz"), .allowed = "a time, or a frequency"};
  };
  return out;
}

/// A contact of the device.
Word<Plan> contact_word() {
  auto out = kept_word("contact", &Plan::contact);
  out.key = "contact";
  out.label = "Contact that a person moves";
  out.text = [](const Plan& p) { return p.contact.empty() ? std::string("no contact") : p.contact; };
  out.set = [](Plan& p, std::string_view text, const Surroundings& around) -> Result<void> {
    const auto name = trimmed(text);
    if (std::find(around.contacts.begin(), around.contacts.end(), name) == around.contacts.end())
      return around.contacts.empty()
                 ? fail(Fault::input, "The device has no contact; its circuit would say so as a part of kind contact.")
                 : fail(Fault::input, "The device has no contact \"{}\"; there are {}.", name, listed(around.contacts, "and"));
    p.contact = name;
    return {};
  };
  out.hint = [](const Plan&, const Surroundings& around) { return BriefHint{.choices = around.contacts}; };
  return out;
}

/// How long, said as a time or as so many periods of the drive.
Word<Plan> length_word() {
  const auto as_periods = [](const Plan& p, std::string_view text) -> Result<std::optional<double>> {
    for (const std::string_view noun : {"periods", "period"}) {
      if (!text.ends_with(noun)) continue;
      const auto count = parse_value(trimmed(text.substr(0, text.size() - noun.size())), "1");
      if (!count) return tl::unexpected(count.error());
      if (!p.repeats()) return fail(Fault::input, "What drives does not repeat; say the length as a time.");
      return *count * p.period;
    }
    return std::nullopt;
  };
  auto out = number_word<Plan>("length", "length", "Length of a record", &Plan::length, "s", {1e-8, 1e5}, {}, as_periods);
  out.hint = [](const Plan& p, const Surroundings&) {
    BriefHint hint{.forms = fmt::format("{} samples", p.samples()), .allowed = "a time"};
    if (p.repeats()) {
      hint.forms += fmt::format(", {:.4g} periods of the drive", p.length / p.period);
      hint.allowed += ", or so many periods";
    }
    return hint;
  };
  return out;
}

/// Of whichever inputs.
double fastest(const bench::Limits& limits) {
  return std::max(limits.highest_sample_rate, limits.of(bench::Digitiser::fast).highest_sample_rate);
}

/// The number of samples follows from length and rate, and sets the rate.
Word<Plan> samples_word() {
  return {.key = "samples",
          .label = "Samples of a record",
          .text = [](const Plan& p) { return fmt::format("{} samples", p.samples()); },
          .set = [](Plan& p, std::string_view text, const Surroundings& around) -> Result<void> {
            auto typed = trimmed(text);
            if (typed.ends_with("samples")) typed = trimmed(std::string_view(typed).substr(0, typed.size() - 7));
            const auto count = parse_value(typed, "1");
            if (!count) return tl::unexpected(count.error());
            if (!(*count >= 16 && *count <= double(kMostSamples)))
              return fail(Fault::input, "From 16 to {} samples are possible, not {}.", kMostSamples, text);
            const double most = fastest(around.limits);
            if (most > 0 && *count / p.length > most * (1 + 1e-9))
              return fail(Fault::input, "{} samples in {} are faster than the inputs' {}.", typed,
                          format_setting(p.length, "s"), format_setting(most, "Hz"));
            p.rate = *count / p.length;
            return {};
          },
          .hint = [](const Plan& p, const Surroundings&) {
            return BriefHint{.forms = "every " + format_quantity(1 / p.rate, "s", 3).plain(), .allowed = "the rate follows"};
          }};
}

Word<Plan> rate_word() {
  auto out = number_word("rate", "rate", "Sample rate", &Plan::rate, "Hz", {0.01, 1e10});
  const auto plain = out.set;
  out.set = [plain](Plan& p, std::string_view text, const Surroundings& around) -> Result<void> {
    if (auto ok = plain(p, text, around); !ok) return ok;
    const double most = fastest(around.limits);
    if (most > 0 && p.rate > most * (1 + 1e-9))
      return fail(Fault::input, "The inputs sample at {} at most.", format_setting(most, "Hz"));
    return {};
  };
  out.hint = [](const Plan& p, const Surroundings& around) {
    return BriefHint{.forms = fmt::format("{} samples, one every {}", p.samples(), format_quantity(1 / p.rate, "s", 3).plain()),
                     .allowed = fastest(around.limits) > 0 ? "up to " + format_setting(fastest(around.limits), "Hz") : ""};
  };
  return out;
}

/// A share before the trigger, said in per cent or as a time.
Word<Plan> before_word() {
  auto out = kept_word("before", &Plan::before);
  out.key = "before";
  out.label = "How much of the record is before the trigger";
  out.text = [](const Plan& p) { return fmt::format("{:.4g} %", 100 * p.before); };
  out.set = [](Plan& p, std::string_view text, const Surroundings&) -> Result<void> {
    double share = 0;
    if (const auto time = parse_quantity(text, ""); time && time->unit == "s") {
      share = time->value / p.length;
    } else {
      const auto percent = parse_value(text, "%");
      if (!percent) return tl::unexpected(percent.error());
      share = *percent / 100;
    }
    if (!(share >= 0 && share <= 0.95)) return fail(Fault::input, "From 0 to 95 % of the record can be before the trigger, not {}.", text);
    p.before = share;
    return {};
  };
  out.hint = [](const Plan& p, const Surroundings&) {
    return BriefHint{.forms = format_quantity(p.before * p.length, "s", 3).plain(), .allowed = "from 0 to 95 %, or a time"};
  };
  return out;
}

/// Times and volts of a drive by points.
Word<Plan> points_word() {
  auto out = kept_word("points", &Plan::points);
  out.key = "points";
  out.label = "Points of the drive: seconds and volts";
  out.text = [](const Plan& p) { return fmt::format("{} points", p.points.size()); };
  out.set = [](Plan& p, std::string_view text, const Surroundings&) -> Result<void> {
    // The number alone is what the brief shows.
    if (trimmed(text) == fmt::format("{} points", p.points.size())) return {};
    auto points = read_points(text);
    if (!points) return tl::unexpected(points.error());
    p.points = std::move(*points);
    return {};
  };
  out.hint = [](const Plan& p, const Surroundings&) {
    const auto [low, high] = p.reach();
    return BriefHint{.forms = fmt::format("from {} to {} in {}", format_setting(low, "V"), format_setting(high, "V"),
                                          format_setting(p.points.back().first, "s")),
                     .allowed = "a time and a voltage for each, such as 0 0, 1m 0.5, 2m 0",
                     .from_file = true};
  };
  return out;
}

std::string unit_of_quantity(const Plan& p) {
  return p.hookup.unit_of(p.quantity).value_or("V");
}

/// A value of the quantity that is waited for.
Word<Plan> level_word(std::string key, std::string label, double Plan::*member, bool signed_value) {
  auto out = kept_word(key, member);
  out.key = key;
  out.label = std::move(label);
  out.text = [member, signed_value](const Plan& p) {
    return !signed_value && p.*member == 0 ? std::string("automatic") : format_setting(p.*member, unit_of_quantity(p));
  };
  out.set = [member, signed_value](Plan& p, std::string_view text, const Surroundings&) -> Result<void> {
    if (!signed_value && trimmed(text) == "automatic") {
      p.*member = 0;
      return {};
    }
    const auto value = parse_value(text, unit_of_quantity(p));
    if (!value) return tl::unexpected(value.error());
    if (!signed_value && *value < 0) return fail(Fault::input, "A hysteresis is not below zero.");
    p.*member = *value;
    return {};
  };
  out.hint = [signed_value](const Plan& p, const Surroundings&) {
    return BriefHint{.allowed = (signed_value ? "in " : "automatic, or in ") + unit_of_quantity(p)};
  };
  return out;
}

Word<Plan> quantity_word() {
  auto out = kept_word("quantity", &Plan::quantity);
  out.key = "quantity";
  out.label = "Whose edge is waited for";
  out.text = [](const Plan& p) { return p.quantity; };
  out.set = [](Plan& p, std::string_view text, const Surroundings&) -> Result<void> {
    const auto name = trimmed(text);
    if (!p.hookup.find(name)) {
      std::vector<std::string> names;
      for (const auto& chain : p.hookup.chains) names.push_back(chain.name);
      return fail(Fault::input, "An input must sense what is waited for; there are {}.", listed(names, "and"));
    }
    p.quantity = name;
    return {};
  };
  out.hint = [](const Plan& p, const Surroundings&) {
    BriefHint hint;
    for (const auto& chain : p.hookup.chains) hint.choices.push_back(chain.name);
    return hint;
  };
  return out;
}

}  // namespace

const WordTable<Plan>& words() {
  static const WordTable<Plan> table(joined<Plan>({
      choice_word("drive", "drive", "What drives", &Plan::drive, kDrives),
      pin_word("drive_pin", "drive_pin", "Pin that is driven", &Plan::drive_pin),
      choice_word("shape", "shape", "Shape of the drive", &Plan::shape, kShapes),
      number_word("low", "low", "Lower end, open circuit", &Plan::low, "V", {-20, 20}),
      number_word("high", "high", "Upper end, open circuit", &Plan::high, "V", {-20, 20}),
      period_word(),
      number_word("width", "width", "Width of the pulses", &Plan::width, "s", {1e-8, 1e4}),
      number_word("edge", "edge", "Edges of the drive", &Plan::edge, "s", {1e-9, 1e3}),
      count_word("cycles", "cycles", "Periods in a burst", &Plan::cycles, 1, 100000, "period"),
      points_word(),
      count_word("steps", "steps", "Steps of the staircase", &Plan::steps, 2, 1000, "step"),
      number_word("source", "source_resistance", "Source resistance", &Plan::source_resistance, "ohm", {1, 10e3}),
      number_word("supply_voltage", "supply_voltage", "Voltage of the DC source", &Plan::supply_voltage, "V", {0, 80}),
      number_word("supply_limit", "supply_limit", "Current limit of the DC source", &Plan::supply_limit, "A", {1e-3, 30}),
      number_word("surge_peak", "surge_peak", "Peak of the surge, open circuit", &Plan::surge_peak, "V", {-600, 600}),
      number_word("surge_resistance", "surge_resistance", "Source resistance of the surge", &Plan::surge_resistance, "ohm", {1, 1e4}),
      number_word("surge_front", "surge_front", "Front of the surge", &Plan::surge_front, "s", {100e-9, 1e-3}),
      number_word("surge_tail", "surge_tail", "Time to half of the peak", &Plan::surge_tail, "s", {1e-6, 10e-3}),
      contact_word(),
      choice_word("moves", "moves", "What the contact does", &Plan::closes, kMoves),
      hookup_word(&Plan::hookup),
      length_word(),
      rate_word(),
      samples_word(),
      before_word(),
      choice_word("when", "when", "When a record begins", &Plan::when, kWhens),
      quantity_word(),
      level_word("level", "Level of the edge", &Plan::level, true),
      choice_word("slope", "slope", "Which way the edge goes", &Plan::slope, kSlopes),
      choice_word("side", "", "Where the pulse goes", &Plan::slope, kSides),
      number_word("pulse_width", "pulse_width", "Width that a pulse is held against", &Plan::pulse_width, "s", {1e-9, 1e4}),
      level_word("hysteresis", "How far it must be away before", &Plan::hysteresis, false),
      number_word("hold_off", "hold_off", "Time in which no edge counts", &Plan::hold_off, "s", {0, 1e4}),
      number_word("patience", "patience", "How long an edge is waited for", &Plan::patience, "s", {1e-6, 1e5}),
      count_word("passes", "passes", "Records of a take", &Plan::passes, 1, 10000, "record"),
      choice_word("keep", "keep", "Which records are kept", &Plan::keep, kKeeps),
      choice_word("repeat", "repeat", "How often it is taken", &Plan::repeat, kRepeats),
  }, feed_words(&Plan::feed_pin, &Plan::feed_voltage, &Plan::feed_limit, &Plan::feed_time)));
  return table;
}

std::vector<BriefPiece> brief(const Plan& p) {
  std::vector<BriefPiece> out;
  bool rare = false, drives = true;
  const auto head = [&](std::string text) {
    out.push_back({.text = std::move(text), .rare = rare, .heading = true, .drives = drives});
  };
  const auto say = [&](const std::string& sentence) {
    words().say(out, p, sentence, {.text = {}, .rare = rare, .drives = drives});
  };
  const auto plain = [&](std::string text) { out.push_back({.text = std::move(text), .rare = rare, .drives = drives}); };
  head("Drive");
  switch (p.drive) {
    case Drive::nothing:
      say("with {drive} : the device moves by itself.");
      break;
    case Drive::supply:
      say("{drive_pin} by {drive} to {supply_voltage} , at most {supply_limit} .");
      break;
    case Drive::surge:
      say("{drive_pin} by {drive} with {surge_peak} through {surge_resistance} , front {surge_front} , half of it after {surge_tail} .");
      break;
    case Drive::contact:
      say("by {drive} : {contact} {moves} .");
      break;
    case Drive::generator:
      say(p.shape == Shape::points ? "{drive_pin} by {drive} with lines through {points} of {shape} ,"
                                   : "{drive_pin} by {drive} with {shape} from {low} to {high} ,");
      switch (p.shape) {
        case Shape::points:
          break;
        case Shape::sine:
          say("every {period}");
          break;
        case Shape::burst:
          say("of {cycles} , each {period}");
          break;
        case Shape::pulse:
          say("{width} wide, every {period} , edges {edge}");
          break;
        case Shape::step:
          say("in {edge}");
          break;
        case Shape::ramp:
          say("every {period}");
          break;
        case Shape::staircase:
          say("in {steps} , all of it every {period} , edges {edge}");
          break;
      }
      say("through {source} .");
  }
  if (!p.feed_pin.empty()) say("Before that the DC source feeds {feed} with {feed_voltage} , at most {feed_limit} , for {feed_time} .");
  drives = false;
  head("Sense");
  say_senses(out, p.hookup, {.text = {}, .rare = rare, .drives = drives});
  head("Capture");
  say("{length} at {rate} , {samples} ,");
  if (p.when == When::at_once) {
    say("{when} .");
  } else {
    say("{before} before the trigger, when {when}");
    if (p.when == When::edge) say(": {quantity} {slope} through {level} , waiting {patience}");
    if (p.for_pulse()) say("{pulse_width} : {quantity} {side} {level} , waiting {patience}");
    plain(".");
  }
  const bool once = p.passes == 1 && p.repeat == Repeat::once && p.keep == Keep::all;
  if (!once) say(p.keep == Keep::tripped ? "Read up to {passes} , {keep} ; {repeat} ." : "Read {passes} , {keep} ; {repeat} .");
  rare = true;
  head("Also");
  if (p.feed_pin.empty()) say("the DC source feeds {feed} beforehand;");
  if (once) say("read {passes} , {keep} ; {repeat} ;");
  if (p.waits()) say("the quantity must first be {hysteresis} away; no edge counts for {hold_off} ;");
  say_ranges(out, p.hookup, {.text = {}, .rare = rare, .drives = drives});
  return out;
}

std::string time_sentence(const Plan& p, const bench::Limits&) {
  const double before = p.feed_pin.empty() ? 0 : p.feed_time;
  return fmt::format("{} of {} samples, {}{} on a real bench.", p.passes == 1 ? "One record" : fmt::format("{} records", p.passes),
                     p.samples(), format_duration((before + p.length) * p.passes),
                     p.waits() ? p.for_pulse() ? " beside the wait for the pulse" : " beside the wait for the edge" : "");
}

Result<Plan> apply(const Plan& plan, std::string_view key, std::string_view text, const Surroundings& around) {
  // A quantity that was waited for and is gone: the next best is.
  return with_word<Plan>(plan, words(), &Plan::hookup, key, text, around, [](Plan& p) {
    if (!p.hookup.find(p.quantity) && !p.hookup.chains.empty()) p.quantity = p.hookup.chains.front().name;
  });
}

BriefHint hint(const Plan& p, std::string_view key, const Surroundings& around) { return word_hint(p, words(), &Plan::hookup, key, around); }

}  // namespace heron::study::waveform
