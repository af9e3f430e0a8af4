#include "study/spectrum/words.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "signal/window.h"
#include "study/feed.h"
#include "study/hookup_words.h"
#include "study/spectrum/doubts.h"

namespace heron::study::spectrum {
namespace {

const Choices<Drive> kDrives = {{Drive::sine, "sine", "a sine"},
                                {Drive::two_tones, "two tones", "two tones", {"two"}},
                                {Drive::nothing, "nothing", "nothing", {"none", "itself"}}};
const Choices<Along> kAlongs = {{Along::nothing, "nothing", "one level and frequency", {"nothing", "none"}},
                                {Along::level, "level", "rising level", {"level"}},
                                {Along::frequency, "frequency", "rising frequency", {"frequency"}}};
const Choices<Repeat> kRepeats = {{Repeat::once, "once", "once"},
                                  {Repeat::every, "every", "again and again, keeping all", {"keeping all", "all"}},
                                  {Repeat::last, "last", "again and again, keeping the last", {"keeping the last", "again"}}};

std::string level_text(double pk_pk) { return format_setting(pk_pk, "V") + " pk-pk"; }

/// The same level in its other forms.
std::string level_forms(const Plan& p, double pk_pk) {
  const double rms = pk_pk / (2 * std::numbers::sqrt2), into = rms / 2;
  return fmt::format("{} rms, {:.3g} dBm into {}", format_quantity(rms, "V", 4).plain(), 10 * std::log10(into * into / p.source_resistance / 1e-3),
                     format_setting(p.source_resistance, "ohm"));
}

Word<Plan> level_word() {
  auto out = kept_word("level", &Plan::level);
  out.key = "level";
  out.label = "Level of the stimulus, open circuit";
  out.text = [](const Plan& p) { return p.wanted ? format_setting(*p.wanted, "dBFS") : level_text(p.level); };
  out.set = [](Plan& p, std::string_view text, const Surroundings&) -> Result<void> {
    if (const auto typed = lower(trimmed(text)); typed.ends_with("dbfs")) {
      constexpr double kLeast = -120, kMost = 3;
      const auto wanted = parse_value(typed, "dBFS");
      if (!wanted) return tl::unexpected(wanted.error());
      if (!(*wanted >= kLeast && *wanted <= kMost)) return fail(Fault::input, "From {} to {} dBFS is possible, not {}.", kLeast, kMost, text);
      p.wanted = *wanted;
      return {};
    }
    const auto level = read_level(text, p.source_resistance);
    if (!level) return tl::unexpected(level.error());
    p.level = *level;
    p.wanted.reset();
    return {};
  };
  out.hint = [](const Plan& p, const Surroundings& around) {
    return BriefHint{.forms = p.wanted ? fmt::format("found by itself, from {} on", level_text(p.level)) : level_forms(p, p.level),
                     .allowed = fmt::format("pk-pk, peak, rms or dBm, up to {} pk-pk; or dBFS, found by itself", format_setting(around.limits.highest_level_pp, "V"))};
  };
  return out;
}

/// Kept only where it is set.
Word<Plan> wanted_word() {
  return {.kept = "wanted",
          .keep = [](const Plan& p) { return p.wanted ? nlohmann::json(*p.wanted) : nlohmann::json(nlohmann::json::value_t::discarded); },
          .take = [](Plan& p, const nlohmann::json& json) -> Result<void> {
            const auto value = kept_as<double>(json, "wanted");
            if (!value) return tl::unexpected(value.error());
            p.wanted = *value;
            return {};
          }};
}

/// What the record makes of a frequency, and the nearest of which it holds whole cycles.
std::string coherence_of(const Plan& p, double frequency) {
  const double cycles = frequency * p.length(), off = std::abs(cycles - std::round(cycles));
  const double near = coherent_frequency(frequency, p.rate, std::size_t(p.samples));
  if (off < 0.01) return fmt::format("{:.0f} whole cycles a record", cycles);
  const double leaks = 10 * std::log10(leakage(off, signal::Window::rectangular, std::size_t(p.samples)));
  return fmt::format("{:.2f} cycles: without a window {} of it leaks into all other lines; {} holds {:.0f} whole ones", cycles,
                     format_quantity(leaks, "dB", 2).plain(), frequency_text(near),
                     near * p.length());
}

Word<Plan> frequency_word(std::string key, std::string label, double Plan::*member) {
  auto out = number_word(key, key, std::move(label), member, "Hz", {1e-3, 1e9});
  const auto plain = out.set;
  out.text = [member](const Plan& p) { return frequency_text(p.*member); };
  out.set = [plain, member](Plan& p, std::string_view text, const Surroundings& around) -> Result<void> {
    const auto typed = lower(trimmed(text));
    if (typed == "coherent" || typed == "whole cycles") {
      p.*member = coherent_frequency(p.*member, p.rate, std::size_t(p.samples));
      return {};
    }
    return plain(p, text, around);
  };
  out.hint = [member](const Plan& p, const Surroundings&) {
    return BriefHint{.forms = coherence_of(p, p.*member),
                     .allowed = "a frequency, or `coherent` for the nearest with a whole, odd number of cycles"};
  };
  return out;
}

Word<Plan> end_word() {
  auto out = kept_word("end", &Plan::end);
  out.key = "end";
  out.label = "Where the sweep ends";
  out.text = [](const Plan& p) { return p.along == Along::frequency ? format_setting(p.end, "Hz") : level_text(p.end); };
  out.set = [](Plan& p, std::string_view text, const Surroundings&) -> Result<void> {
    const auto value = p.along == Along::frequency ? parse_value(text, "Hz") : read_level(text, p.source_resistance);
    if (!value) return tl::unexpected(value.error());
    if (!(*value > 0)) return fail(Fault::input, "A sweep ends above zero.");
    p.end = *value;
    return {};
  };
  out.hint = [](const Plan& p, const Surroundings&) {
    return p.along == Along::frequency ? BriefHint{.allowed = "a frequency"} : BriefHint{.forms = level_forms(p, p.end), .allowed = "pk-pk, peak, rms or dBm"};
  };
  return out;
}

/// Changing what is swept brings an end that makes sense.
Word<Plan> along_word() {
  auto out = choice_word("along", "along", "What goes from point to point", &Plan::along, kAlongs);
  const auto plain = out.set;
  out.set = [plain](Plan& p, std::string_view text, const Surroundings& around) -> Result<void> {
    const auto before = p.along;
    if (auto ok = plain(p, text, around); !ok) return ok;
    if (p.along == before) return {};
    if (p.along == Along::level) p.end = std::min(10 * p.level, std::max(2 * p.level, around.limits.highest_level_pp));
    if (p.along == Along::frequency) p.end = std::min(10 * p.frequency, 0.4 * p.rate);
    return {};
  };
  return out;
}

/// How finely lines lie: sets the number of samples.
Word<Plan> resolution_word() {
  return {.key = "resolution",
          .label = "Lines apart",
          .text = [](const Plan& p) { return format_quantity(p.line(), "Hz", 4).plain(); },
          .set = [](Plan& p, std::string_view text, const Surroundings&) -> Result<void> {
            const auto line = parse_value(text, "Hz");
            if (!line) return tl::unexpected(line.error());
            if (!(*line > 0) || p.rate / *line > kMostSamples || p.rate / *line < 64)
              return fail(Fault::input, "At {} lines can lie from {} to {} apart.", format_setting(p.rate, "Hz"),
                          format_quantity(p.rate / kMostSamples, "Hz", 2).plain(), format_quantity(p.rate / 64, "Hz", 2).plain());
            p.samples = int(2 * std::llround(p.rate / *line / 2));
            return {};
          },
          .hint = [](const Plan& p, const Surroundings&) {
            return BriefHint{.forms = fmt::format("{} samples, {} a record", p.samples, format_quantity(p.length(), "s", 3).plain()), .allowed = "the number of samples follows"};
          }};
}

Word<Plan> rate_word() {
  auto out = input_rate_word(&Plan::rate, &Plan::hookup);
  out.hint = [](const Plan& p, const Surroundings&) {
    return BriefHint{.forms = fmt::format("up to {}, lines {} apart", format_setting(p.rate / 2, "Hz"), format_quantity(p.line(), "Hz", 3).plain())};
  };
  return out;
}

Word<Plan> samples_word() {
  auto out = count_word("samples", "samples", "Samples of a record", &Plan::samples, 64, kMostSamples, "sample");
  const auto plain = out.set;
  out.set = [plain](Plan& p, std::string_view text, const Surroundings& around) -> Result<void> {
    if (auto ok = plain(p, text, around); !ok) return ok;
    if (p.samples % 2 != 0) return fail(Fault::input, "An even number of samples is wanted, such as {}.", p.samples + 1);
    return {};
  };
  return out;
}

}  // namespace

const WordTable<Plan>& words() {
  static const WordTable<Plan> table(joined<Plan>({
      choice_word("drive", "drive", "What drives", &Plan::drive, kDrives),
      pin_word("drive_pin", "drive_pin", "Pin that is driven", &Plan::drive_pin),
      frequency_word("frequency", "Frequency of the stimulus", &Plan::frequency),
      frequency_word("second_frequency", "Frequency of the second tone", &Plan::second_frequency),
      level_word(),
      wanted_word(),
      number_word("offset", "offset", "Offset of the stimulus, open circuit", &Plan::offset, "V", {-20, 20}),
      number_word("source", "source_resistance", "Source resistance", &Plan::source_resistance, "ohm", {1, 10e3}),
      number_word("settle", "settle_time", "Wait before each record", &Plan::settle_time, "s", {0, 3600}),
      along_word(),
      end_word(),
      count_word("points", "points", "Points of the sweep", &Plan::points, 2, 200, "point"),
      hookup_word(&Plan::hookup),
      rate_word(),
      samples_word(),
      resolution_word(),
      count_word("records", "records", "Records that are averaged", &Plan::records, 1, 1000, "record"),
      choice_word("repeat", "repeat", "How often it is taken", &Plan::repeat, kRepeats),
  }, feed_words(&Plan::feed_pin, &Plan::feed_voltage, &Plan::feed_limit, &Plan::feed_time)));
  return table;
}

Result<double> read_level(std::string_view text, double source_resistance) {
  const std::string_view kOfPower = "dbm";
  const auto typed = trimmed(text);
  const auto read = [&]() -> Result<double> {
    if (!lower(typed).ends_with(kOfPower)) return parse_level_pp(typed, LevelForm::peak_to_peak);
    const auto power = parse_value(trimmed(std::string_view(typed).substr(0, typed.size() - kOfPower.size())), "1");
    if (!power) return tl::unexpected(power.error());
    // Into a load that matches the source, half of the open-circuit voltage.
    return 2 * 2 * std::numbers::sqrt2 * std::sqrt(1e-3 * std::pow(10, *power / 10) * source_resistance);
  }();
  if (read && (!(*read > 0) || !std::isfinite(*read))) return fail(Fault::input, "A level above zero is wanted, not {}.", text);
  return read;
}

std::vector<BriefPiece> brief(const Plan& p) {
  std::vector<BriefPiece> out;
  bool rare = false, drives = true;
  const auto head = [&](std::string text) { out.push_back({.text = std::move(text), .rare = rare, .heading = true, .drives = drives}); };
  const auto say = [&](const std::string& sentence) { words().say(out, p, sentence, {.text = {}, .rare = rare, .drives = drives}); };
  const bool once = p.along == Along::nothing;
  head("Drive");
  if (p.drive == Drive::nothing)
    say("with {drive} : the device makes its own signal.");
  else if (p.drive == Drive::two_tones)
    say("{drive_pin} with {drive} , {frequency} and {second_frequency} , {level} each,");
  else
    say("{drive_pin} with {drive} of {frequency} , {level} ,");
  if (p.drive != Drive::nothing) say(once ? "at {along} ." : "at {along} up to {end} in {points} .");
  drives = false;
  head("Sense");
  say_senses(out, p.hookup, {.text = {}, .rare = rare, .drives = drives});
  head("Read");
  say("{samples} at {rate} : lines {resolution} apart, {records} averaged.");
  rare = true;
  head("Also");
  drives = true;
  if (p.drive != Drive::nothing) say("from {source} with {offset} of offset; wait {settle} before each record;");
  say(p.feed_pin.empty() ? "the DC source feeds {feed} ;" : "the DC source feeds {feed} with {feed_voltage} , up to {feed_limit} , {feed_time} before;");
  drives = false;
  say("{repeat} ;");
  say_ranges(out, p.hookup, {.text = {}, .rare = rare, .drives = drives});
  return out;
}

std::string time_sentence(const Plan& p, const bench::Limits&) {
  const auto records = p.steps().size() * std::size_t(p.records);
  return fmt::format("{} of {} samples, {} on a real bench.", records == 1 ? "One record" : fmt::format("{} records", records), p.samples,
                     format_duration(p.seconds()));
}

Result<Plan> apply(const Plan& plan, std::string_view key, std::string_view text, const Surroundings& around) { return with_word(plan, words(), &Plan::hookup, key, text, around); }

BriefHint hint(const Plan& p, std::string_view key, const Surroundings& around) { return word_hint(p, words(), &Plan::hookup, key, around); }

}  // namespace heron::study::spectrum
