#include "study/switching/reduced.h"

#include <algorithm>
#include <cmath>

#include "study/switching/doubts.h"

namespace heron::study::switching {
namespace {

constexpr std::size_t kQuickSamples = 200'000;
constexpr std::size_t kCurvePoints = 8192, kSmallPoints = 160;

std::optional<double> number_in(const nlohmann::json& setting, const char* key) {
  const auto it = setting.find(key);
  return it != setting.end() && it->is_number() ? std::optional(it->get<double>()) : std::nullopt;
}

class SwitchingReducer final : public Reducer {
 public:
  explicit SwitchingReducer(Settings settings) : settings_(std::move(settings)) {}

  Result<void> add(const Point& point) override {
    const auto& setting = point.setting.json();
    for (std::size_t k = 0; k < point.records.size(); ++k) {
      auto one = waveforms_of(point, settings_, k);
      if (!one) return tl::unexpected(one.error());
      shots_.push_back({std::move(*one), {.point = point.index, .bus = number_in(setting, kBus), .current = number_in(setting, kCurrent), .resistor = number_in(setting, kResistor), .temperature = number_in(setting, kTemperature)}});
    }
    return {};
  }
  Result<ReducedPtr> so_far() const override {
    if (shots_.empty()) return fail(Fault::input, "There is no shot.");
    return std::make_shared<const ReducedSwitching>(shots_, settings_);
  }

 private:
  Settings settings_;
  std::vector<Taken> shots_;
};

/// All quantities of a shot over time: its events sample by sample, the rest by lowest and highest.
Columns over_time(const ReadShot& read, std::size_t most) {
  const auto& shot = *read.shot;
  Columns out{.x_name = "time", .x_unit = "s", .logarithmic = false, .x = {}};
  const auto& lead = *shot.get(Role::v_ds).trace;
  const auto n = lead.size();
  std::vector<std::size_t> wanted;
  const auto share = most / 4;
  for (const auto* edge : {&read.off, &read.on}) {
    if (!*edge || !(*edge)->window) continue;
    const auto [from, to] = *(*edge)->window;
    const double a = std::max(0.0, lead.time.place_of(from - 2 * (to - from), n)), b = std::min(double(n - 1), lead.time.place_of(to + 4 * (to - from), n));
    const auto step = std::max<std::size_t>(1, std::size_t((b - a) / double(share)));
    for (auto k = std::size_t(a); k <= std::size_t(b); k += step) wanted.push_back(k);
  }
  const auto every = std::max<std::size_t>(1, n / (most / 2));
  for (std::size_t k = 0; k < n; k += every) wanted.push_back(k);
  std::sort(wanted.begin(), wanted.end());
  wanted.erase(std::unique(wanted.begin(), wanted.end()), wanted.end());
  for (const auto k : wanted) out.x.push_back(lead.time.at(k));
  for (std::size_t r = 0; r < kRoles; ++r) {
    const auto* one = shot.find(Role(r));
    if (!one) continue;
    std::vector<double> y;
    for (const double t : out.x) {
      // Unlike chains are not sampled at the same times: beyond its ends a quantity is what it is there.
      const auto& own = one->trace->time;
      const auto value = value_at(*one->trace, std::clamp(t, own.at(0), own.at(one->trace->size() - 1)));
      y.push_back(value && *value ? **value : NAN);
    }
    out.columns.push_back({std::string(role_name(Role(r))), std::string(role_unit(Role(r))), std::move(y), {}});
  }
  return out;
}

/// Energies over the load current, a column a family.
Columns over_current(const std::vector<Family>& families) {
  Columns out{.x_name = "current", .x_unit = "A", .logarithmic = false, .x = {}};
  for (const auto& f : families)
    for (std::size_t e = 0; e < kEnergies; ++e) {
      Columns::Column one{.name = std::string(energy_name(Energy(e))) + (f.name().empty() ? "" : " at " + f.name()), .unit = "J", .y = {}, .u = {}};
      for (const auto& p : f.points)
        if (const auto& found = p.energy[e]) {
          one.x.push_back(p.load);
          one.y.push_back(*found->value);
          one.u.push_back(found->u());
        }
      if (!one.x.empty()) out.columns.push_back(std::move(one));
    }
  if (!out.columns.empty()) out.x = out.columns.front().x;
  return out;
}

Columns curve_of(const std::vector<ReadShotPtr>& shots, std::size_t most) {
  const auto families = families_of(shots);
  std::size_t points = 0;
  for (const auto& f : families) points += f.points.size();
  if (points <= 1) return over_time(*shots.back(), most);
  return over_current(families);
}

}  // namespace

Result<std::vector<ReadShotPtr>> ReducedSwitching::read_shots(const Settings& settings) const {
  return last_.with(as_text(settings), [&]() -> Result<std::vector<ReadShotPtr>> {
    std::vector<ReadShotPtr> out;
    for (const auto& shot : shots_) {
      auto one = switching::read(shot.record, shot.setting, settings);
      if (!one) return tl::unexpected(one.error());
      out.push_back(std::move(*one));
    }
    return out;
  });
}

Result<Analysis> ReducedSwitching::read(const SettingsText& text, const std::vector<std::string>& asked) const {
  const auto settings = settings_from_text(text);
  if (!settings) return tl::unexpected(settings.error());
  const auto shots = read_shots(*settings);
  if (!shots) return tl::unexpected(shots.error());
  Analysis out{figures_of(*shots, asked), curve_of(*shots, kCurvePoints), as_text(*settings)};
  for (const auto& shot : *shots) {
    // Of one shot its own figures say what is doubtful; of a sweep those of each.
    const auto own = shots->size() == 1 ? out.reading : figures_of({shot}, {});
    auto found = find_doubts(*shot, own, *settings);
    if (!found) return tl::unexpected(found.error());
    for (auto& d : *found)
      if (std::none_of(out.reading.doubts.begin(), out.reading.doubts.end(), [&](const Doubt& before) { return before.key == d.key; })) {
        if (shots->size() > 1) d.text = fmt::format("Shot {}: {}", shot->setting.point + 1, d.text);
        out.reading.doubts.push_back(std::move(d));
      }
  }
  return out;
}

Result<std::vector<Repeated>> ReducedSwitching::over_shots(const SettingsText& text) const {
  const auto settings = settings_from_text(text);
  if (!settings) return tl::unexpected(settings.error());
  const auto shots = read_shots(*settings);
  if (!shots) return tl::unexpected(shots.error());
  std::vector<Reading> readings;
  std::vector<int> numbers;
  for (const auto& shot : *shots) {
    numbers.push_back(int(readings.size()));
    readings.push_back(figures_of({shot}, {}));
  }
  return repeated(readings, numbers);
}

bool ReducedSwitching::quick() const {
  std::size_t samples = 0;
  for (const auto& shot : shots_) samples += shot.record->samples();
  return samples <= kQuickSamples;
}

Columns ReducedSwitching::small() const {
  const auto shots = read_shots(settings_);
  return shots ? curve_of(*shots, kSmallPoints) : Columns{.x_name = "time", .x_unit = "s", .logarithmic = false};
}

/// One row a shot.
std::vector<std::pair<std::string, Record>> ReducedSwitching::tables() const {
  const auto shots = read_shots(settings_);
  if (!shots) return {};
  Record out;
  std::vector<double> number, load, bus;
  for (const auto& shot : *shots) {
    const auto* event = shot->off ? &shot->off->event : shot->on ? &shot->on->event : nullptr;
    number.push_back(shot->setting.point + 1);
    load.push_back(event ? event->load.value : NAN);
    bus.push_back(event ? event->bus.value : NAN);
  }
  out.channels = {{.role = "shot", .unit = "1", .numbers = number}, {.role = "i_load", .unit = "A", .numbers = load}, {.role = "v_bus", .unit = "V", .numbers = bus}};
  for (const auto& d : definitions()) {
    std::vector<double> values, u;
    for (const auto& shot : *shots) {
      const auto& f = shot->get(d.key);
      values.push_back(f.value ? *f.value : NAN);
      u.push_back(f.value ? f.u() : NAN);
    }
    out.channels.push_back({.role = d.name, .unit = d.unit, .numbers = std::move(values)});
    out.channels.push_back({.role = std::string("u_") + d.name, .unit = d.unit, .numbers = std::move(u)});
  }
  return {{"shots", std::move(out)}};
}

std::size_t ReducedSwitching::bytes() const {
  std::size_t out = sizeof *this;
  for (const auto& shot : shots_) out += 3 * shot.record->bytes();
  return out;
}

Result<std::unique_ptr<Reducer>> reducer(const SettingsText& text) {
  auto settings = settings_from_text(text);
  if (!settings) return tl::unexpected(settings.error());
  return std::make_unique<SwitchingReducer>(std::move(*settings));
}

}  // namespace heron::study::switching
