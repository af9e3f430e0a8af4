#include "study/iv/brief.h"

#include <algorithm>
#include <cmath>

#include "base/quantity.h"
#include "study/hookup_words.h"
#include "study/iv/ramp.h"
#include "study/iv/words.h"

namespace heron::study::iv {

std::vector<BriefPiece> brief(const Plan& p) {
  std::vector<BriefPiece> out;
  bool rare = false;
  const bool ramped = p.method == Method::waveform;
  const auto say = [&](const std::string& text, bool heading = false) { out.push_back({text, "", rare, heading}); };
  const auto word = [&](const std::string& key) { out.push_back({words().text(p, key), key, rare, false}); };
  const auto source = [&](std::size_t at) {
    const auto& s = p.sources[at];
    const SourceIn in{p, at};
    const auto own = [&](const char* key) {
      out.push_back({source_words().text(in, key), "source." + s.name + "." + key, rare, false});
    };
    say(s.role == Role::swept ? "Sweep" : s.role == Role::stepped ? "Step" : "Hold", true);
    own("pin");
    if (!ramped) {
      rare = s.against.empty();
      say("against");
      own("against");
      rare = false;
    }
    if (!ramped) {
      say("by");
      own("force");
    }
    if (s.role == Role::constant) {
      say("at");
      own("value");
    } else if (s.values.spacing == Spacing::listed) {
      say("through");
      own("spacing");
    } else {
      say("from");
      own("start");
      say("to");
      own("stop");
      say("in");
      own("points");
      rare = s.values.spacing == Spacing::linear && s.role != Role::swept;
      if (!ramped || s.role != Role::swept) own("spacing");
      rare = false;
    }
    if (s.role == Role::swept) {
      word("course");
      rare = p.cycles == 1;
      word("cycles");
      rare = false;
      if (ramped) {
        say("in");
        word("ramp");
        say("each way");
      }
    }
    if (!ramped) {
      say("with at most");
      own("compliance");
      rare = true;
      say("by");
      own("wires");
      say("in the range");
      own("range");
    }
    rare = s.rest == 0;
    say("resting at");
    own("rest");
    rare = true;
    say("as");
    own("role");
    rare = false;
    say(".");
  };
  for (const auto role : {Role::swept, Role::stepped, Role::constant})
    for (std::size_t k = 0; k < p.sources.size(); ++k)
      if (p.sources[k].role == role) source(k);
  say("Read", true);
  if (ramped) {
    word("voltage");
    say("as the voltage and");
    word("current");
    say("as the current");
  } else {
    say("the current of");
    word("sensed");
    word("delay");
    say("after each change over");
    word("aperture");
  }
  say("with");
  word("method");
  rare = p.averages == 1;
  say("and average");
  word("averages");
  if (ramped) {
    rare = p.source_resistance == 50;
    say("from");
    word("source");
  }
  rare = p.rest_time == 0;
  say("rest for");
  word("rest_time");
  say("before and after");
  rare = p.hold == 0;
  say("hold");
  word("hold");
  say("at the first value of each curve");
  rare = p.temperature == 25;
  say("at a temperature of");
  word("temperature");
  rare = true;
  say("and drive");
  word("add");
  rare = false;
  say(".");
  return out;
}

std::string time_sentence(const Plan& p, const bench::Limits& limits) {
  if (p.method == Method::waveform) {
    const auto ramp = ramp_of(p);
    return fmt::format("{} points{}, {} on a real bench{}.", ramp.bins(),
                       ramp.steps.size() > 1 ? fmt::format(" on {} curves", ramp.steps.size()) : "",
                       format_duration(sweep_time(p, limits)),
                       p.averages > 1 ? fmt::format(" for {} sweeps", p.averages) : "");
  }
  const auto steps = steps_of(p);
  const auto curves = std::count_if(steps.begin(), steps.end(), [](const Step& s) { return s.first; });
  return fmt::format("{} points{}, about {} on a real bench.", steps.size(),
                     curves > 1 ? fmt::format(" on {} curves", curves) : "", format_duration(sweep_time(p, limits)));
}

BriefHint hint(const Plan& p, std::string_view key, const bench::Limits& limits, const std::vector<std::string>& pins) {
  if (const auto named = source_key(key)) {
    for (std::size_t k = 0; k < p.sources.size(); ++k)
      if (p.sources[k].name == named->first)
        return source_words().hint({p, k}, named->second, {.pins = pins, .limits = limits});
    return {};
  }
  if (key.starts_with("hookup.")) return hookup_hint(p.hookup, key.substr(7), limits, pins);
  return words().hint(p, key, {.pins = pins, .limits = limits});
}

}  // namespace heron::study::iv
