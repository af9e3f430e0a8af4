#include "study/waveform/figures.h"

#include <algorithm>
#include <cmath>

#include "base/quantity.h"
#include "base/words.h"
#include "study/repeated.h"
#include "study/watched.h"
#include "study/waveform/found.h"

namespace heron::study::waveform {
namespace {

std::vector<const Definition*> definitions() {
  std::vector<const Definition*> out;
  for (const auto* group : {&level_figures(), &transition_figures(), &timing_figures(), &pulse_figures()})
    for (const auto& d : *group) out.push_back(&d);
  return out;
}

/// A key taken apart: channel, figure, arguments.
struct Wanted {
  const Definition* of = nullptr;  ///< null for a figure of a watch
  std::string channel;             ///< empty: the only one
  std::vector<Argument> arguments;
  std::optional<WatchKey> watch = {};
};

Result<Argument> argument(Parameter what, const std::string& text) {
  Argument out;
  switch (what) {
    case Parameter::time: {
      const auto t = parse_value(text, "s");
      if (!t) return tl::unexpected(t.error());
      out.number = *t;
      return out;
    }
    case Parameter::level: {
      const auto q = parse_quantity(text, "");
      if (!q) return tl::unexpected(q.error());
      out.level = {q->value, q->unit == "%", q->unit};
      return out;
    }
    case Parameter::direction:
      for (const auto& [word, direction] :
           {std::pair{"rising", Direction::rising}, {"falling", Direction::falling}, {"any", Direction::any}})
        if (text == word) {
          out.direction = direction;
          return out;
        }
      return fail(Fault::usage, "rising, falling or any is wanted, not \"{}\"", text);
    case Parameter::trace:
      if (text.empty()) return fail(Fault::usage, "the name of a quantity is wanted");
      out.trace = text;
      return out;
  }
  return out;
}

Result<Wanted> take_apart(std::string_view key) {
  const auto open = key.find('(');
  const auto name = key.substr(0, open);
  Wanted out;
  if (name.starts_with("watch.")) {
    auto watch = watch_key(key);
    if (!watch) return fail(Fault::usage, "There is no figure \"{}\"; a watch has watch.NAME.count, first, longest, extreme and latched.", key);
    out.watch = std::move(*watch);
    return out;
  }
  // The longest name that the key ends with: what is before it is the channel's.
  for (const auto* d : definitions()) {
    const std::string_view own = d->name;
    const bool whole = name == own, tail = !whole && !d->of_traces && name.size() > own.size() + 1 && name.ends_with(own) &&
                                           name[name.size() - own.size() - 1] == '.';
    if (!(whole || tail) || (out.of && std::string_view(out.of->name).size() >= own.size())) continue;
    out.of = d;
    out.channel = whole ? "" : std::string(name.substr(0, name.size() - own.size() - 1));
  }
  if (!out.of) return fail(Fault::usage, "There is no figure \"{}\" of a waveform.", key);
  std::vector<std::string> texts;
  if (open != std::string_view::npos) {
    if (!key.ends_with(')')) return fail(Fault::usage, "{}: the bracket is not closed.", key);
    texts = pieces(key.substr(open + 1, key.size() - open - 2));
  }
  const auto most = out.of->parameters.size(), least = most - std::size_t(out.of->optional);
  const bool fits = texts.size() >= least && texts.size() <= most &&
                    // Two times that may be left out are left out together.
                    !(out.of->optional == 2 && texts.size() == 1);
  if (!fits)
    return fail(Fault::usage, "{}: {} of {} wanted in brackets, such as {}.", key, least == most ? std::to_string(most) : "up to " + std::to_string(most),
                out.of->name, out.of->parameters.empty() ? "none" : out.of->parameters.front() == Parameter::time ? "level.at(2ms)"
                                                                : out.of->parameters.front() == Parameter::level ? "time.at(2V,falling)"
                                                                                                                 : "delay(v_in,v_out)");
  for (std::size_t k = 0; k < texts.size(); ++k) {
    auto one = argument(out.of->parameters[k], texts[k]);
    if (!one) return fail(Fault::usage, "{}: {}", key, one.error().message);
    out.arguments.push_back(std::move(*one));
  }
  return out;
}

std::string unit_for(const Definition& d, const Trace& trace, const Found& found) {
  if (!found.unit.empty()) return found.unit;
  const std::string_view unit = d.unit;
  // Volt seconds; amperes times seconds are coulombs.
  if (unit == "*s") return trace.unit == "A" ? "C" : trace.unit + "s";
  return unit.empty() ? trace.unit : std::string(unit);
}

class Reader {
 public:
  Reader(const Pass& pass, PassReading& into) : pass_(pass), into_(into.reading), shared_(into.shared) {}

  void read(const Definition& d, std::size_t place, const std::vector<Argument>& arguments, std::string key) {
    const View view{pass_, place};
    const std::string prefix = d.of_traces || pass_.count() == 1 ? "" : pass_.trace(place).name + ": ";
    std::string label = prefix + d.label;
    if (const auto open = key.find('('); open != std::string::npos) label += " " + key.substr(open);
    const auto found = d.compute(view, arguments);
    if (!found || !std::isfinite(found->value)) {
      into_.absent.push_back({std::move(key), found ? "the numbers are too large to be reckoned with" : found.error(), std::move(label)});
      return;
    }
    Figure out{.key = std::move(key), .label = std::move(label), .value = found->value,
               .unit = unit_for(d, view.trace(), *found), .u = {}, .at = found->at,
               .on = d.of_traces ? std::string() : view.trace().name};
    if (const double u = std::hypot(found->own, found->shared); u > 0 && std::isfinite(u)) {
      out.u = u;
      shared_[out.key] = found->shared;
    }
    into_.figures.push_back(std::move(out));
  }

 private:
  const Pass& pass_;
  Reading& into_;
  std::map<std::string, double>& shared_;
};

}  // namespace

std::vector<FigureName> figure_names() {
  std::vector<FigureName> out;
  for (const auto* d : definitions())
    if (d->needs_none()) out.push_back({d->label, d->name, d->unit});
  return out;
}

Result<void> check_figure_key(std::string_view key) {
  if (const auto wanted = take_apart(key); !wanted) return tl::unexpected(wanted.error());
  return {};
}

bool rests_on_skew(std::string_view key) {
  const auto wanted = take_apart(key);
  return wanted && wanted->of && wanted->of->by_skew;
}

std::optional<std::string> figure_unit(std::string_view key) {
  const auto wanted = take_apart(key);
  if (!wanted) {
    // A figure whose brackets are missing still has its unit.
    for (const auto* d : definitions())
      if (key == d->name) return d->unit;
    return std::nullopt;
  }
  if (wanted->watch) return wanted->watch->figure->unit;
  const std::string_view unit = wanted->of->unit;
  return unit == "*s" ? std::string() : std::string(unit);
}

Result<Pass> Pass::of(WaveformsPtr waveforms, const Settings& settings) {
  Pass out;
  out.settings_ = settings;
  for (std::size_t k = 0; k < waveforms->traces.size(); ++k) {
    const auto& trace = *waveforms->traces[k];
    const auto n = trace.size();
    if (n == 0) return fail(Fault::input, "{} has no samples.", trace.name);
    const double first = trace.time.at(0), last = trace.time.at(n - 1), half = trace.time.step() / 2;
    Stretch over{0, n};
    if (settings.from) {
      if (*settings.from < first - half || *settings.from > last + half)
        return fail(Fault::input, "from: {} lies outside the record, which goes from {} to {}.",
                    format_quantity(*settings.from, "s").plain(), format_quantity(first, "s").plain(),
                    format_quantity(last, "s").plain());
      over.first = std::size_t(std::clamp(std::ceil(trace.time.place_of(*settings.from, n) - 1e-6), 0.0, double(n - 1)));
    }
    if (settings.to) {
      if (*settings.to < first - half || *settings.to > last + half)
        return fail(Fault::input, "to: {} lies outside the record, which goes from {} to {}.",
                    format_quantity(*settings.to, "s").plain(), format_quantity(first, "s").plain(),
                    format_quantity(last, "s").plain());
      over.last = std::size_t(std::clamp(std::floor(trace.time.place_of(*settings.to, n) + 1e-6), 0.0, double(n - 1))) + 1;
    }
    if (over.last <= over.first) return fail(Fault::input, "No sample lies between from and to.");
    auto profile = profile_of(trace, waveforms->errors[k], over);
    if (!profile) return tl::unexpected(profile.error());
    out.profiles_.push_back(std::move(*profile));
  }
  out.waveforms_ = std::move(waveforms);
  return out;
}

Result<PassReading> figures_of(const Pass& pass, const std::vector<std::string>& asked) {
  PassReading all;
  auto& out = all.reading;
  Reader reader(pass, all);
  const auto prefixed = [&](std::size_t k, const char* name) {
    return pass.count() == 1 ? std::string(name) : pass.trace(k).name + "." + name;
  };
  for (std::size_t k = 0; k < pass.count(); ++k)
    for (const auto* d : definitions()) {
      const bool once = d->of_traces;
      if (!d->needs_none() || (once && k > 0)) continue;
      reader.read(*d, k, {}, once ? d->name : prefixed(k, d->name));
    }
  const auto over = [&](std::size_t k) { return std::pair{pass.profile(k).over.first, pass.profile(k).over.last}; };
  if (auto ok = read_watches(pass.waveforms(), pass.settings().watches, over, out); !ok) return tl::unexpected(ok.error());
  for (const auto& key : asked) {
    if (out.find(key) || std::any_of(out.absent.begin(), out.absent.end(), [&](const auto& a) { return a.key == key; })) continue;
    const auto wanted = take_apart(key);
    if (!wanted) return tl::unexpected(wanted.error());
    if (!wanted->of) {
      out.absent.push_back({key, fmt::format("there is no watch \"{}\" among the settings", wanted->watch->watch), key});
      continue;
    }
    std::size_t place = 0;
    if (!wanted->of->of_traces) {
      if (wanted->channel.empty() && pass.count() > 1) {
        out.absent.push_back({key, fmt::format("there are several quantities: say which, such as {}.{}",
                                               pass.trace(0).name, key), wanted->of->label});
        continue;
      }
      if (!wanted->channel.empty()) place = pass.waveforms().place(wanted->channel);
      if (place >= pass.count()) {
        out.absent.push_back({key, fmt::format("there is no quantity \"{}\"", wanted->channel), wanted->of->label});
        continue;
      }
    }
    reader.read(*wanted->of, place, wanted->arguments, key);
  }
  return all;
}

Reading mean_of(const std::vector<PassReading>& passes) {
  if (passes.size() < 2) return passes.empty() ? Reading{} : passes.front().reading;
  std::vector<Reading> readings;
  std::vector<int> numbers;
  for (const auto& pass : passes) {
    numbers.push_back(int(numbers.size()));
    readings.push_back(pass.reading);
  }
  Reading out;
  for (const auto& one : repeated(readings, numbers)) {
    double own = 0, shared = 0;
    for (const int k : one.passes) {
      const auto& pass = passes[std::size_t(k)];
      const auto common = pass.shared.find(one.key);
      const double of_all = common == pass.shared.end() ? 0 : common->second, u = pass.reading.find(one.key)->u.value_or(0);
      own += std::max(0.0, u * u - of_all * of_all);
      shared = std::max(shared, of_all);
    }
    const double n = double(one.values.size());
    Figure mean = *readings[std::size_t(one.passes.front())].find(one.key);
    mean.value = one.mean;
    const double u = std::hypot(std::max(one.sigma.value_or(0) / std::sqrt(n), std::sqrt(own) / n), shared);
    mean.u = u > 0 ? std::optional(u) : std::nullopt;
    out.figures.push_back(std::move(mean));
  }
  for (const auto& absent : passes.front().reading.absent)
    if (!out.find(absent.key)) out.absent.push_back(absent);
  return out;
}

}  // namespace heron::study::waveform
