/// Two pulses of a device by straight lines, with what is true of them worked out on a grid much finer than any record.
/// Independent of everything under test.
#pragma once
#include <algorithm>
#include <functional>
#include <map>
#include <random>
#include <string>

#include "study/raw.h"

namespace heron::truth {

struct DoublePulse {
  double bus = 400, load = 20;                     ///< V, A
  double first = 8e-6, gap = 3e-6, second = 3e-6;  ///< s
  double before = 1e-6, after = 2e-6;              ///< s
  double rise = 24e-9;                             ///< s of the current from 0 to the load
  double fall = 30e-9;                             ///< s from the load to 0
  double voltage_fall = 30e-9, voltage_rise = 40e-9;
  double recovery = 8, recovers = 30e-9;           ///< A beyond the load, s that it takes to come back
  double stray = 25e-9;                            ///< H
  double ring = 0, ring_frequency = 40e6, ring_decay = 60e-9;  ///< V that swing after turn-off, Hz, s
  double gate_high = 15, gate_low = -4, gate_edge = 30e-9, gate_lead = 60e-9;
  double climb = 0;                                ///< A/s during conduction
  bool second_pulse = true;
  bool rounded = false;                            ///< the recovery comes and goes as a squared sine
  bool smooth = false;                             ///< currents in S-shaped edges, as filters leave them; wants no recovery

  double share(double x) const { return smooth ? x * x * (3 - 2 * x) : x; }
  double steepness(double x) const { return smooth ? 6 * x * (1 - x) : 1; }

  double off_at() const { return first; }
  double on_at() const { return first + gap; }
  double end() const { return second_pulse ? on_at() + second + after : first + gap; }
  double peak_at() const { return rounded ? on_at() + rise + recovers / 2 : on_at() + rise * (load + recovery) / load; }
  double down_at() const { return peak_at() + voltage_fall; }

  double v(double t) const;
  double i(double t) const;
  double g(double t) const;
  /// V of the ringing's first top over the bus, in closed form.
  double rung_most() const;

  /// The first time from `from` on at which f passes a level.
  static double passes(const std::function<double(double)>& f, double from, double to, double level, bool rising);
  static double integral(const std::function<double(double)>& f, double from, double to);

  /// What is true of it, for windows of shares.
  std::map<std::string, double> truth(double on_start = 0.1, double on_end = 0.1, double off_start = 0.1, double off_end = 0.1) const;

  struct Errors {
    double v_noise = 0, i_noise = 0, g_noise = 0;  ///< V, A, V
    double i_offset = 0;                           ///< A
    double skew = 0;                               ///< s by which i is late
    double v_gain = 0, i_gain = 0;                 ///< relative
    double step = 1e-9;                            ///< s
    double u_gain_v = 0, u_gain_i = 0, u_delay = 0;  ///< as stated
  };
  study::Record record(const Errors& e, std::mt19937_64& random, double phase = 0) const;
  study::Point point(const Errors& e, std::mt19937_64& random, double phase = 0) const;

 private:
  /// V over the bus that the stray inductance leaves when the current has ended: the ringing goes on from there, with no step.
  double rings_from() const { return std::min(ring, stray * load / fall * steepness(1)); }
  double rung(double later) const;
};

}  // namespace heron::truth
