#include "study/switching/figures.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/quantity.h"
#include "base/words.h"
#include "study/switching/sweep.h"

namespace heron::study::switching {
namespace {

const Found kNothing;

constexpr const char* kSkew = "skew";

/// "energy.on@20A,48V,Rg=10ohm": which energy, at what.
struct Asked {
  Energy which;
  double current;
  std::optional<double> bus, resistor, temperature;
};

std::optional<Energy> energy_named(std::string_view name) {
  for (std::size_t e = 0; e < kEnergies; ++e)
    if (energy_name(Energy(e)) == name) return Energy(e);
  return std::nullopt;
}

Result<std::optional<Asked>> asked_for(std::string_view key) {
  const auto at = key.find('@');
  if (at == std::string_view::npos) return std::optional<Asked>();
  const auto which = energy_named(key.substr(0, at));
  const auto wanted = fail(Fault::usage, "{}: energy.on, energy.off, energy.recovery or energy.total is read at a load current, such as energy.on@20A, energy.on@20A,48V or energy.on@20A,Rg=10.", key);
  if (!which) return wanted;
  const auto arguments = pieces(key.substr(at + 1));
  if (arguments.empty()) return wanted;
  const auto current = parse_value(arguments.front(), "A");
  if (!current || !(*current > 0)) return wanted;
  Asked out{*which, *current, {}, {}, {}};
  for (std::size_t k = 1; k < arguments.size(); ++k) {
    const auto equals = arguments[k].find('=');
    const auto name = equals == std::string::npos ? std::string() : lower(trimmed(arguments[k].substr(0, equals)));
    const auto text = equals == std::string::npos ? arguments[k] : arguments[k].substr(equals + 1);
    auto* into = name.empty() || name == "v" ? &out.bus : name == "rg" ? &out.resistor : name == "t" ? &out.temperature : nullptr;
    if (!into || *into) return wanted;
    const auto value = parse_value(text, into == &out.bus ? "V" : into == &out.resistor ? "ohm" : "degC");
    if (!value) return wanted;
    *into = *value;
  }
  return std::optional(out);
}

Figure figure_of(const Definition& d, const Found& f) {
  const double u = f.u();
  return {.key = d.name, .label = d.label, .value = *f.value, .unit = d.unit, .u = u > 0 ? std::optional(u) : std::nullopt, .at = f.from == f.to ? std::vector<double>{f.from} : std::vector<double>{f.from, f.to}};
}

void add_skew(const std::optional<Skew>& skew, bool switches, Reading& out) {
  constexpr const char* kLabel = "Skew of the current";
  if (skew) out.figures.push_back({.key = kSkew, .label = kLabel, .value = skew->value, .unit = "s", .u = skew->u > 0 ? std::optional(skew->u) : std::nullopt, .of_nothing = true});
  else out.absent.push_back({kSkew, switches ? "no inductive step of v_ds stands out of the noise" : "nothing switches", kLabel});
}

std::optional<Skew> skew_over(const std::vector<ReadShotPtr>& shots) {
  std::vector<Skew> all;
  for (const auto& s : shots)
    if (s->skew) all.push_back(*s->skew);
  return combined(all);
}

Reading of_one(const ReadShot& shot) {
  Reading out;
  for (const auto& d : definitions()) {
    const auto& edge = d.on ? shot.on : shot.off;
    const auto& event = d.on ? shot.shot->on : shot.shot->off;
    if (!edge) {
      out.absent.push_back({d.name, event ? "it could not be read" : event.error(), d.label});
      continue;
    }
    const auto& f = edge->get(d.key);
    if (f.value) out.figures.push_back(figure_of(d, f));
    else out.absent.push_back({d.name, f.value.error().empty() ? "it could not be read" : f.value.error(), d.label});
  }
  add_skew(shot.skew, shot.on || shot.off, out);
  return out;
}

/// Of shots with one setting: the mean; what all of them share does not average out.
Reading of_several(const std::vector<ReadShotPtr>& shots) {
  Reading out;
  for (const auto& d : definitions()) {
    std::vector<const Found*> has;
    for (const auto& s : shots)
      if (const auto& f = s->get(d.key); f.value) has.push_back(&f);
    if (has.empty()) {
      const auto one = of_one(*shots.front());
      for (const auto& a : one.absent)
        if (a.key == d.name) out.absent.push_back(a);
      continue;
    }
    Found mean = *has.front();
    const double n = double(has.size());
    double sum = 0, squares = 0, own = 0;
    mean.shared = {};
    for (const auto* f : has) {
      sum += *f->value / n;
      own = std::hypot(own, f->own / n);
      for (std::size_t k = 0; k < kSources; ++k) mean.shared[k] += f->shared[k] / n;
    }
    for (const auto* f : has) squares += std::pow(*f->value - sum, 2);
    mean.value = sum;
    mean.own = std::max(own, n > 1 ? std::sqrt(squares / (n - 1) / n) : 0.0);
    out.figures.push_back(figure_of(d, mean));
  }
  add_skew(skew_over(shots), true, out);
  return out;
}

void add_at_current(const std::vector<Family>& families, const std::string& key, const Asked& asked, Reading& out) {
  const auto label = fmt::format("{} energy at {}", energy_label(asked.which), format_setting(asked.current, "A"));
  const auto no = [&](std::string reason) { out.absent.push_back({key, std::move(reason), label}); };
  std::vector<const Family*> fits;
  // What is set and what is asked are said by people: within a few per cent they are one.
  const auto near = [](const std::optional<double>& wanted, const std::optional<double>& has) { return !wanted || (has && std::abs(*wanted - *has) <= 0.05 * std::abs(*wanted)); };
  for (const auto& f : families)
    if (near(asked.bus, f.bus) && near(asked.resistor, f.resistor) && near(asked.temperature, f.temperature)) fits.push_back(&f);
  if (families.empty()) return no("no shot has a load current");
  if (fits.empty()) return no(asked.resistor && std::none_of(families.begin(), families.end(), [](const Family& f) { return f.resistor.has_value(); }) ? "the shots do not tell their gate resistor" : "no shot was taken so");
  if (fits.size() > 1) {
    std::string names;
    for (const auto* f : fits) names += (names.empty() ? "" : "; ") + f->name();
    return no("shots were taken at " + names + ": say which, such as " + key + (fits.front()->by_bus ? "," + format_setting(fits.front()->bus.value_or(0), "V") : ",Rg=10"));
  }
  const auto found = energy_at(*fits.front(), asked.which, asked.current);
  if (!found) return no(found.error());
  out.figures.push_back({.key = key, .label = label, .value = found->value, .unit = "J", .u = found->u > 0 ? std::optional(found->u) : std::nullopt, .at = {asked.current}});
}

}  // namespace

std::optional<Rest> ReadShot::load() const {
  if (off) return off->event.load;
  if (on) return on->event.load;
  return std::nullopt;
}

const Found& ReadShot::get(Key key) const {
  const auto& edge = definition(key).on ? on : off;
  return edge ? edge->get(key) : kNothing;
}

Result<ReadShotPtr> read(WaveformsPtr record, ShotSetting setting, const Settings& settings) {
  auto shot = read_shot(std::move(record), settings);
  if (!shot) return tl::unexpected(shot.error());
  auto out = std::make_shared<ReadShot>();
  out->shot = std::move(*shot);
  out->setting = setting;
  std::vector<Skew> skews;
  const auto windows = settings.windows();
  for (const auto* event : {&out->shot->off, &out->shot->on}) {
    if (!*event) continue;
    const auto core = core_of(*out->shot, **event, windows);
    if (!core) return tl::unexpected(core.error());
    if (const auto s = skew_of(*core, **event)) skews.push_back(*s);
    if (out->pickup) continue;
    // A voltage that is read more slowly than the current looks the same; as far as the chains are known, that is none.
    const auto pole = [&](Role role) {
      const double bandwidth = out->shot->get(role).errors.bandwidth;
      return bandwidth > 0 ? 1 / (2 * std::numbers::pi * bandwidth) : 0;
    };
    if (const auto pickup = slope_pickup(*core, **event)) out->pickup = *pickup - std::max(0.0, pole(Role::v_ds) - pole(Role::i_d));
  }
  out->skew = combined(skews);
  // A skew that was taken off is known as well as the record tells it.
  const auto u_skew = settings.skew != 0 && out->skew ? std::optional(out->skew->u) : std::nullopt;
  for (const auto* event : {&out->shot->off, &out->shot->on}) {
    if (!*event) continue;
    auto edge = read_edge(*out->shot, **event, windows, u_skew);
    if (!edge) return tl::unexpected(edge.error());
    ((*event)->on ? out->on : out->off) = std::move(*edge);
  }
  return ReadShotPtr(std::move(out));
}

std::vector<FigureName> figure_names() {
  std::vector<FigureName> out;
  for (const auto& d : definitions()) out.push_back({d.label, d.name, d.unit});
  out.push_back({"Skew of the current", kSkew, "s"});
  for (std::size_t e = 0; e < kEnergies; ++e) out.push_back({std::string(energy_label(Energy(e))) + " energy", std::string(energy_name(Energy(e))), "J", "A"});
  return out;
}

Result<void> check_figure_key(std::string_view key) {
  const auto asked = asked_for(key);
  if (!asked) return tl::unexpected(asked.error());
  if (*asked || key == kSkew) return {};
  std::string names;
  for (const auto& d : definitions()) {
    if (key == d.name) return {};
    names += std::string(names.empty() ? "" : ", ") + d.name;
  }
  return fail(Fault::usage, "There is no figure \"{}\"; there are {}, skew, and the energies at a current, such as energy.total@20A.", key, names);
}

std::optional<std::string> figure_unit(std::string_view key) {
  if (key == kSkew) return "s";
  if (key.find('@') != std::string_view::npos) return check_figure_key(key) ? std::optional<std::string>("J") : std::nullopt;
  for (const auto& d : definitions())
    if (key == d.name) return d.unit;
  return std::nullopt;
}

Reading figures_of(const std::vector<ReadShotPtr>& shots, const std::vector<std::string>& asked) {
  if (shots.empty()) return {};
  const auto families = families_of(shots);
  std::size_t settings = 0;
  for (const auto& f : families) settings += f.points.size();
  Reading out;
  if (shots.size() == 1) {
    out = of_one(*shots.front());
  } else if (settings <= 1) {
    out = of_several(shots);
  } else {
    for (const auto& d : definitions()) out.absent.push_back({d.name, fmt::format("it differs between {} settings: look at one shot, or ask an energy at a current", settings), d.label});
    add_skew(skew_over(shots), true, out);
  }
  for (const auto& key : asked)
    if (const auto one = asked_for(key); one && *one) add_at_current(families, key, **one, out);
  return out;
}

}  // namespace heron::study::switching
