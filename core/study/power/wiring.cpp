#include "study/power/wiring.h"

#include <algorithm>

#include "base/quantity.h"
#include "base/words.h"
#include "study/word_table.h"

namespace heron::study::power {
namespace {

constexpr std::array<const char*, 3> kStar = {"va", "vb", "vc"}, kLines = {"vab", "vbc", "vca"}, kCurrents = {"ia", "ib", "ic"};
constexpr const char *kVoltage = "v", *kCurrent = "i";

/// As names are compared: "V_ab" is "vab".
std::string plain(std::string_view name) {
  std::string out;
  for (const char c : lower(name))
    if (c != '_' && c != '.' && c != ' ') out += c;
  return out;
}

/// The quantity that fills a role; nothing where there is none.
Result<std::optional<Placed>> placed(const Waveforms& record, const Settings& settings, const std::string& role) {
  if (const auto said = settings.wires.find(role); said != settings.wires.end()) {
    const auto k = record.place(said->second.quantity);
    if (k == record.traces.size()) return fail(Fault::input, "wire.{}: there is no quantity \"{}\".", role, said->second.quantity);
    return Placed{k, said->second.factor, role};
  }
  for (std::size_t k = 0; k < record.traces.size(); ++k)
    if (plain(record.traces[k]->name) == role) return Placed{k, 1, role};
  return std::nullopt;
}

/// All three, or none; Fault::input where some are missing.
Result<std::vector<Placed>> three(const Waveforms& record, const Settings& settings, const std::array<const char*, 3>& roles) {
  std::vector<Placed> out;
  std::vector<std::string> missing;
  for (const char* role : roles) {
    auto one = placed(record, settings, role);
    if (!one) return tl::unexpected(one.error());
    if (*one)
      out.push_back(std::move(**one));
    else
      missing.push_back(role);
  }
  if (!out.empty() && !missing.empty())
    return fail(Fault::input, "{} {} missing beside {}: three phases want all three, or say which quantity is which by wire.{}.", listed(missing, "and"),
                missing.size() == 1 ? "is" : "are", out.front().role, missing.front());
  return out;
}

/// The only quantity of a unit; nothing where there are several or none.
std::optional<std::size_t> only_of(const Waveforms& record, std::string_view unit) {
  std::optional<std::size_t> found;
  for (std::size_t k = 0; k < record.traces.size(); ++k) {
    if (record.traces[k]->unit != unit) continue;
    if (found) return std::nullopt;
    found = k;
  }
  return found;
}

}  // namespace

bool is_role(std::string_view role) {
  const auto in = [&](const auto& all) { return std::find(all.begin(), all.end(), role) != all.end(); };
  return in(kStar) || in(kLines) || in(kCurrents) || role == kVoltage || role == kCurrent;
}

std::string all_roles() {
  std::vector<std::string> all = {kVoltage, kCurrent};
  for (const auto* some : {&kStar, &kLines, &kCurrents}) all.insert(all.end(), some->begin(), some->end());
  return listed(all, "and");
}

namespace {

Result<Wiring> phases_of(const Waveforms& record, const Settings& settings) {
  const auto star = three(record, settings, kStar), lines = three(record, settings, kLines), currents = three(record, settings, kCurrents);
  for (const auto* some : {&star, &lines, &currents})
    if (!*some) return tl::unexpected(some->error());
  if (!star->empty() && !lines->empty()) return fail(Fault::input, "Voltages against neutral and from line to line are both there: say which is which by wire.va or wire.vab.");
  Wiring out;
  if (!star->empty() || !lines->empty()) {
    out.form = star->empty() ? Form::lines : Form::star;
    out.voltages = star->empty() ? *lines : *star;
    out.currents = *currents;
    return out;
  }
  if (!currents->empty()) {
    out.form = Form::star;
    out.currents = *currents;
    return out;
  }
  auto v = placed(record, settings, kVoltage), i = placed(record, settings, kCurrent);
  if (!v) return tl::unexpected(v.error());
  if (!i) return tl::unexpected(i.error());
  if (!*v)
    if (const auto only = only_of(record, "V")) *v = Placed{*only, 1, kVoltage};
  if (!*i)
    if (const auto only = only_of(record, "A")) *i = Placed{*only, 1, kCurrent};
  if (*v) out.voltages.push_back(std::move(**v));
  if (*i) out.currents.push_back(std::move(**i));
  if (out.voltages.empty() && out.currents.empty())
    return fail(Fault::input, "No quantity is a voltage or a current of a phase: say which is which, such as wire.v=NAME and wire.i=NAME.");
  return out;
}

}  // namespace

Result<Wiring> wiring_of(const Waveforms& record, const Settings& settings) {
  auto out = phases_of(record, settings);
  if (!out || settings.cycles_by.empty()) return out;
  const auto n = out->voltages.size();
  for (std::size_t k = 0; k < n + out->currents.size(); ++k)
    if (record.traces[(k < n ? out->voltages[k] : out->currents[k - n]).trace]->name == settings.cycles_by) {
      out->cycles_by = k;
      return out;
    }
  return fail(Fault::input, "cycles_by: no phase has the quantity \"{}\".", settings.cycles_by);
}

}  // namespace heron::study::power
