#include <algorithm>
#include <cmath>

#include "study/switching/edge.h"

/// What is around an event, and what every error of the channels does to what is read there.
namespace heron::study::switching {
namespace {

/// The core and its levels with one error of the channels in it.
struct Moved {
  Core core;
  Event event;
};
Moved moved_by(const Core& core, const Event& event, Source source, double by) {
  Moved out{core, event};
  const auto scale = [&](std::vector<double>& y) {
    for (auto& x : y) x *= 1 + by;
  };
  const auto lift = [&](std::vector<double>& y) {
    for (auto& x : y) x += by;
  };
  switch (source) {
    case Source::v_gain:
      scale(out.core.v.y);
      out.event.bus.value *= 1 + by;
      break;
    case Source::i_gain:
      scale(out.core.i.y);
      out.event.load.value *= 1 + by;
      out.event.load_slope *= 1 + by;
      break;
    case Source::v_offset:
      lift(out.core.v.y);
      out.event.bus.value += by;
      break;
    case Source::i_offset:
      lift(out.core.i.y);
      out.event.load.value += by;
      break;
    case Source::delay:
      for (auto& t : out.core.i.t) t += by;
      break;
    case Source::f_gain: break;
  }
  return out;
}

/// Whether the gate's passage is there, where it is sensed and has two levels.
bool has_gate(const Core& core, const Edge& edge) {
  const auto& e = edge.event;
  return !core.g || !e.gate_low || !e.gate_high || edge.get(e.on ? Key::delay_on : Key::delay_off).value;
}

/// Whether the windows lie well inside what was read.
bool holds(const Core& core, const Edge& edge, double limit_from, double limit_to) {
  double first = INFINITY, last = -INFINITY;
  for (const auto& f : edge.found) {
    if (!f.value) continue;
    first = std::min(first, f.from);
    last = std::max(last, f.to);
  }
  if (!edge.window) return false;
  const double room = last - first;
  return (core.from <= limit_from || first - core.from > 0.7 * room) && (core.to >= limit_to || core.to - last > 1.5 * room);
}

}  // namespace

Result<Core> core_of(const Shot& shot, const Event& e, const Windows& windows) {
  const double step = shot.get(Role::v_ds).trace->time.step();
  double reach = std::max(64 * step, 4 * std::abs(e.at - e.current_at));
  std::optional<Core> without_gate;
  for (;; reach *= 2) {
    Core out{.from = std::max(e.from, std::min(e.at, e.current_at) - reach), .to = std::min(e.to, std::max(e.at, e.current_at) + 2 * reach)};
    const auto load = [&](Role role) -> Result<std::optional<Samples>> {
      const auto* s = shot.find(role);
      if (!s) return std::optional<Samples>();
      auto samples = samples_of(*s, out.from, out.to);
      if (!samples) return tl::unexpected(samples.error());
      return std::optional(std::move(*samples));
    };
    auto v = load(Role::v_ds), i = load(Role::i_d), g = load(Role::v_gs), v_f = load(Role::v_f), i_f = load(Role::i_f);
    for (const auto* one : {&v, &i, &g, &v_f, &i_f})
      if (!*one) return tl::unexpected(one->error());
    out.v = std::move(**v);
    out.i = std::move(**i);
    out.g = std::move(*g);
    out.v_f = std::move(*v_f);
    out.i_f = std::move(*i_f);
    const bool whole = out.from <= e.from && out.to >= e.to;
    const auto edge = edge_of(out, e, windows);
    const bool held = whole || holds(out, edge, e.from, e.to);
    if (held && has_gate(out, edge)) return out;
    // A gate may move long before its edge; one that is nowhere asks for no more than the windows do.
    if (held && !without_gate) without_gate = std::move(out);
    if (whole) return std::move(*without_gate);
  }
}

Result<Edge> read_edge(const Shot& shot, const Event& event, const Windows& windows, std::optional<double> u_skew) {
  const auto core = core_of(shot, event, windows);
  if (!core) return tl::unexpected(core.error());
  auto out = edge_of(*core, event, windows);
  const auto &v = shot.get(Role::v_ds).errors, &i = shot.get(Role::i_d).errors;
  const BySource u = {v.u_gain, i.u_gain, v.u_offset, i.u_offset, u_skew.value_or(std::hypot(v.u_delay, i.u_delay)), 0};
  const auto differs = [&](const Edge& other, auto use) {
    for (std::size_t k = 0; k < kKeys; ++k)
      if (out.found[k].value && other.found[k].value) use(out.found[k], *other.found[k].value - *out.found[k].value);
  };
  for (std::size_t k = 0; k < kSources; ++k) {
    if (u[k] == 0) continue;
    const auto moved = moved_by(*core, event, Source(k), u[k]);
    out.load_shared[k] = moved.event.load.value - event.load.value;
    differs(edge_of(moved.core, moved.event, windows), [&](Found& f, double by) { f.shared[k] = by; });
  }
  // The delay moves what is read across two channels; within one it moves nothing.
  if (const auto *f = shot.find(Role::v_f), *c = shot.find(Role::i_f); f && c)
    if (auto& e = out.found[std::size_t(Key::energy_recovery)]; e.value) e.shared[std::size_t(Source::f_gain)] = *e.value * std::hypot(f->errors.u_gain, c->errors.u_gain);
  for (const bool bus : {true, false}) {
    const double by = bus ? event.bus.u : event.load.u;
    if (by == 0) continue;
    auto moved = event;
    (bus ? moved.bus : moved.load).value += by;
    differs(edge_of(*core, moved, windows), [&](Found& f, double d) { f.own = std::hypot(f.own, d); });
  }
  return out;
}

std::optional<double> energy_at(const Core& core, const Event& event, const Windows& windows, double later) {
  const auto moved = moved_by(core, event, Source::delay, later);
  const auto edge = edge_of(moved.core, moved.event, windows);
  const auto& f = edge.get(event.on ? Key::energy_on : Key::energy_off);
  return f.value ? std::optional(*f.value) : std::nullopt;
}

}  // namespace heron::study::switching
