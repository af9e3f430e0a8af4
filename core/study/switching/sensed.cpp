#include "study/switching/sensed.h"

#include <algorithm>
#include <cmath>

#include "signal/quiet_noise.h"

namespace heron::study::switching {
namespace {

constexpr std::string_view kNames[kRoles] = {"v_ds", "i_d", "v_gs", "v_f", "i_f"};

/// A trace turned, scaled, zeroed and moved in time.
class Adjusted final : public Trace {
 public:
  Adjusted(TracePtr of, double factor, double zero, TimeBase over) : Trace(of->name, of->unit, std::move(over)), of_(std::move(of)), factor_(factor), zero_(zero) {}
  std::size_t size() const override { return of_->size(); }
  Result<void> read(std::size_t first, std::span<double> out) const override {
    if (auto ok = of_->read(first, out); !ok) return ok;
    for (auto& v : out) v = factor_ * v - zero_;
    return {};
  }
  std::size_t bytes() const override { return sizeof *this; }

 private:
  TracePtr of_;
  double factor_, zero_;
};

TimeBase earlier(const Trace& trace, double by) {
  if (by == 0) return trace.time;
  if (trace.time.even()) return TimeBase(trace.time.start() - by, trace.time.step());
  auto times = std::make_shared<std::vector<double>>();
  for (std::size_t k = 0; k < trace.size(); ++k) times->push_back(trace.time.at(k) - by);
  return TimeBase(std::move(times));
}

TracePtr adjusted(const TracePtr& trace, double factor, double zero, double by) {
  if (factor == 1 && zero == 0 && by == 0) return trace;
  return std::make_shared<const Adjusted>(trace, factor, zero, earlier(*trace, by));
}

/// Noise of the samples: of quiet stretches wherever they are.
Result<void> look_at_noise(Sensed& s) {
  constexpr std::size_t kPieces = 48, kEach = 64;
  const auto n = s.trace->size();
  const auto each = std::min(kEach, n / 4);
  std::vector<std::vector<double>> pieces(kPieces, std::vector<double>(each));
  for (std::size_t p = 0; p < kPieces; ++p)
    if (auto ok = s.trace->read((n - each) * p / (kPieces - 1), pieces[p]); !ok) return ok;
  const auto found = signal::quiet_noise(pieces);
  if (!found) return {};
  s.together = found->together;
  // What moves is rounded at random, whatever rests does.
  s.noise = std::max(found->deviation, s.errors.quantum / std::sqrt(12.0));
  return {};
}

}  // namespace

std::string_view role_name(Role role) { return kNames[std::size_t(role)]; }
std::string_view role_unit(Role role) { return role == Role::i_d || role == Role::i_f ? "A" : "V"; }
bool is_role(std::string_view name) { return std::find(std::begin(kNames), std::end(kNames), name) != std::end(kNames); }
std::string all_roles() {
  std::string out;
  for (const auto name : kNames) out += (out.empty() ? "" : ", ") + std::string(name);
  return out;
}

Result<std::optional<Sensed>> sensed(const Waveforms& record, Role role, const Settings& settings) {
  const auto name = role_name(role);
  const auto wire = settings.wires.find(name);
  const auto place = record.place(wire != settings.wires.end() ? wire->second.quantity : std::string(name));
  if (place >= record.traces.size()) {
    if (wire != settings.wires.end()) return fail(Fault::input, "{}{}: there is no quantity \"{}\".", kWireKey, name, wire->second.quantity);
    return std::optional<Sensed>();
  }
  const double factor = wire != settings.wires.end() ? wire->second.factor : 1, size = std::abs(factor);
  Sensed out{.trace = adjusted(record.traces[place], factor, 0, role == Role::i_d ? settings.skew : 0), .errors = record.errors[place], .place = place, .factor = factor, .earlier = role == Role::i_d ? settings.skew : 0};
  out.errors.u_offset *= size;
  out.errors.quantum *= size;
  if (out.errors.range) *out.errors.range *= size;
  if (out.errors.lowest && out.errors.highest) {
    const double a = factor * *out.errors.lowest, b = factor * *out.errors.highest;
    out.errors.lowest = std::min(a, b);
    out.errors.highest = std::max(a, b);
  }
  if (auto ok = look_at_noise(out); !ok) return tl::unexpected(ok.error());
  return std::optional(std::move(out));
}

Sensed zeroed(const Sensed& of, double zero, double u) {
  auto out = of;
  out.zero += zero;
  out.trace = adjusted(of.trace, 1, zero, 0);
  out.errors.u_offset = u;
  return out;
}

}  // namespace heron::study::switching
