#include "study/watch.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "base/quantity.h"
#include "base/words.h"

namespace heron::study {
namespace {

constexpr const char* kWatchExample = "Write it like: under 4.6 V for 10 us, or vout over 5.2 V hysteresis 40 mV ends point.";
constexpr std::string_view kParts[] = {"", "for", "hysteresis", "ends"};  ///< what begins each; the limit comes first
constexpr std::pair<OnTrip, std::string_view> kEnds[] = {{OnTrip::ends_point, "point"}, {OnTrip::ends_sweep, "sweep"}};

constexpr WatchFigure kWatchFigures[] = {{"count", "excursions", "1"}, {"first", "first excursion", "s"}, {"longest", "longest excursion", "s"}, {"extreme", "extreme", ""}, {"latched", "tripped", "1"}};

std::vector<std::string> words_in(std::string_view text) {
  std::vector<std::string> out;
  for (const auto& word : pieces(text, ' ')) out.push_back(word);
  return out;
}

}  // namespace

std::span<const WatchFigure> all_watch_figures() { return kWatchFigures; }

const WatchFigure* watch_figure(std::string_view which) {
  const auto it = std::find_if(std::begin(kWatchFigures), std::end(kWatchFigures), [&](const auto& f) { return which == f.which; });
  return it == std::end(kWatchFigures) ? nullptr : it;
}

std::optional<WatchKey> watch_key(std::string_view key) {
  constexpr std::string_view kBegin = "watch.";
  if (!key.starts_with(kBegin)) return std::nullopt;
  const auto dot = key.rfind('.');
  if (dot <= kBegin.size()) return std::nullopt;
  const auto* figure = watch_figure(key.substr(dot + 1));
  return figure ? std::optional(WatchKey{std::string(key.substr(kBegin.size(), dot - kBegin.size())), figure}) : std::nullopt;
}

Result<Watch> parse_watch(std::string_view name, std::string_view text) {
  Watch out{.name = std::string(name)};
  const auto words = words_in(text);
  const auto said = std::find_if(words.begin(), words.end(), [](const auto& w) { return w == "over" || w == "under"; });
  if (said == words.end() || said - words.begin() > 1)
    return fail(Fault::usage, "watch.{}: \"{}\" is over or under nothing. {}", name, text, kWatchExample);
  if (said != words.begin()) out.quantity = words.front();
  out.over = *said == "over";
  // Each part is a quantity of one or two words: "4.6 V" or "4.6V".
  std::array<std::string, std::size(kParts)> parts;
  std::size_t part = 0;
  for (auto word = said + 1; word != words.end(); ++word) {
    if (*word == "latches") {
      out.latches = true;
      continue;
    }
    if (const auto begins = std::find(std::begin(kParts), std::end(kParts), *word); begins != std::end(kParts)) {
      part = std::size_t(begins - std::begin(kParts));
      if (!parts[part].empty()) return fail(Fault::usage, "watch.{}: \"{}\" is said twice. {}", name, *word, kWatchExample);
      continue;
    }
    parts[part] += (parts[part].empty() ? "" : " ") + *word;
  }
  const auto limit = parse_quantity(parts[0], "");
  if (!limit) return fail(Fault::usage, "watch.{}: {} {}", name, limit.error().message, kWatchExample);
  out.limit = limit->value;
  out.unit = limit->unit;
  if (!parts[1].empty()) {
    const auto glitch = parse_value(parts[1], "s");
    if (!glitch || *glitch < 0) return fail(Fault::usage, "watch.{}: \"{}\" is no time. {}", name, parts[1], kWatchExample);
    out.glitch = *glitch;
  }
  if (!parts[2].empty()) {
    const auto band = parse_value(parts[2], out.unit);
    if (!band || *band < 0)
      return fail(Fault::usage, "watch.{}: \"{}\" is no hysteresis in {}. {}", name, parts[2], out.unit, kWatchExample);
    out.hysteresis = *band;
  }
  if (!parts[3].empty()) {
    const auto ends = std::find_if(std::begin(kEnds), std::end(kEnds), [&](const auto& e) { return e.second == parts[3]; });
    if (ends == std::end(kEnds)) return fail(Fault::usage, "watch.{}: it ends the point or the sweep, not \"{}\". {}", name, parts[3], kWatchExample);
    out.on_trip = ends->first;
  }
  return out;
}

std::string watch_text(const Watch& w) {
  std::string out = w.quantity.empty() ? "" : w.quantity + " ";
  out += fmt::format("{} {}", w.over ? "over" : "under", format_setting(w.limit, w.unit));
  if (w.glitch > 0) out += " for " + format_setting(w.glitch, "s");
  if (w.hysteresis) out += " hysteresis " + format_setting(*w.hysteresis, w.unit);
  for (const auto& [on_trip, word] : kEnds)
    if (w.on_trip == on_trip) out += fmt::format(" ends {}", word);
  if (w.latches) out += " latches";
  return out;
}

void Watcher::close(double end) {
  now_.to = end;
  if (open_counts()) counted_.push_back(now_);
  open_ = false;
}

void Watcher::skip(std::size_t missing) {
  if (open_) close(time_.at(at_ - 1));
  at_ += missing;
  first_ = at_;
}

void Watcher::add(std::span<const double> values) {
  const double sign = watch_.over ? 1 : -1, limit = sign * watch_.limit, back = limit - watch_.band();
  const auto place = [&](double level, double now) {
    const double before = sign * last_, after = sign * now;
    const double share = at_ > first_ && after != before ? (level - before) / (after - before) : 1;
    return time_.at_place(double(at_) - 1 + std::clamp(share, 0.0, 1.0));
  };
  for (const double value : values) {
    const double v = sign * value;
    if (!open_ && v > limit) {
      open_ = true;
      now_ = {.from = at_ > first_ ? place(limit, value) : time_.at(at_), .to = 0, .extreme = value, .at = time_.at(at_)};
    }
    if (open_ && v > sign * now_.extreme) {
      now_.extreme = value;
      now_.at = time_.at(at_);
    }
    if (open_ && v < back) close(place(back, value));
    last_ = value;
    ++at_;
  }
  if (open_) now_.to = time_.at(at_ - 1);
}

std::vector<Excursion> Watcher::counted() const {
  auto out = counted_;
  if (open_counts()) out.push_back(now_);
  return out;
}

Result<std::vector<Excursion>> excursions_of(const Trace& trace, std::size_t first, std::size_t last, const Watch& watch) {
  Watcher watcher(watch, trace.time, first);
  auto ok = for_each_stretch(trace, first, last, [&](std::size_t, std::span<const double> values) { watcher.add(values); });
  if (!ok) return tl::unexpected(ok.error());
  return watcher.counted();
}

void watch_figures(const Watch& watch, const std::vector<Excursion>& all, const std::string& unit, Reading& into) {
  const auto key = [&](const char* which) { return "watch." + watch.name + "." + which; };
  const auto label = [&](const char* which) { return watch.name + ": " + watch_figure(which)->label; };
  const auto put = [&](const char* which, double value, std::vector<double> at = {}) {
    const std::string of = watch_figure(which)->unit;
    into.figures.push_back({.key = key(which), .label = label(which), .value = value, .unit = of.empty() ? unit : of, .u = {}, .at = std::move(at)});
  };
  put("count", double(all.size()));
  put("latched", all.empty() ? 0 : 1);
  if (all.empty()) {
    for (const char* which : {"first", "longest", "extreme"})
      into.absent.push_back({key(which), fmt::format("it never went {} {}{}", watch.over ? "over" : "under",
                                                     format_setting(watch.limit, watch.unit),
                                                     watch.glitch > 0 ? " for " + format_setting(watch.glitch, "s") : ""),
                             label(which)});
    return;
  }
  double longest = 0;
  const Excursion* worst = &all.front();
  for (const auto& e : all) {
    longest = std::max(longest, e.to - e.from);
    if (watch.over ? e.extreme > worst->extreme : e.extreme < worst->extreme) worst = &e;
  }
  put("first", all.front().from, {all.front().from});
  put("longest", longest);
  put("extreme", worst->extreme, {worst->at});
}

}  // namespace heron::study
