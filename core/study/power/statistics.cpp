#include "study/power/statistics.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "signal/extremes.h"
#include "signal/local.h"

namespace heron::study::power {
namespace {

using std::numbers::pi;
using Phasor = std::complex<double>;

/// What a sensor's corners do to a frequency.
Phasor corners(const ChannelErrors& e, double frequency, double by = 0) {
  Phasor h = 1;
  if (e.corner > 0) h /= Phasor(1, frequency / (e.corner * (1 + by)));
  if (e.low_corner > 0) h /= Phasor(1, -e.low_corner * (1 + by) / frequency);
  return h;
}

/// Every phasor of a channel times a factor of its order; products follow, as far as they are harmonics'.
template <class Factor>
void turn(Statistics& s, std::size_t channel, Factor factor) {
  for (int h = 1; h <= s.orders(); ++h) {
    auto& x = s.phasor[channel][std::size_t(h - 1)];
    const auto by = x * factor(h);
    for (std::size_t other = 0; other < s.channels(); ++other) {
      if (other == channel) continue;
      const auto y = s.phasor[other][std::size_t(h - 1)];
      s.product[channel][other] += ((by - x) * std::conj(y)).real() / 2;
      s.product[other][channel] = s.product[channel][other];
    }
    s.product[channel][channel] += (std::norm(by) - std::norm(x)) / 2;
    x = by;
  }
}

/// The largest magnitude, freed of what noise adds to the highest of many samples.
signal::Local largest(std::span<const double> row) {
  constexpr std::size_t kBeside = 8, kForTheNoise = 65536;
  const auto low = signal::place_of_lowest(row), high = signal::place_of_highest(row);
  const bool upwards = row[high] >= -row[low];
  auto out = signal::extreme_about(row, upwards ? high : low, kBeside, signal::noise_of(row.first(std::min(row.size(), kForTheNoise))), signal::towards(upwards));
  out.value = std::abs(out.value);
  return out;
}

}  // namespace

Result<Rows> rows_of(const Waveforms& record, const Wiring& wiring, const Settings& settings) {
  std::vector<Placed> all = wiring.voltages;
  all.insert(all.end(), wiring.currents.begin(), wiring.currents.end());
  const auto& time = record.traces[all.front().trace]->time;
  const auto size = record.traces[all.front().trace]->size();
  const auto place = [&](double at) { return std::clamp(time.place_of(at, size), 0.0, double(size)); };
  const auto first = settings.from ? std::size_t(std::ceil(place(*settings.from))) : 0;
  const auto last = settings.to ? std::min(size, std::size_t(std::floor(place(*settings.to))) + 1) : size;
  if (!(first + 2 <= last)) return fail(Fault::input, "from and to leave nothing of the record, which goes from {:.6g} s to {:.6g} s.", time.at(0), time.at(size - 1));
  const auto count = std::min(last - first, kMostSamples);
  Rows out{.values = {}, .start = time.at(first), .cut = count < last - first};
  for (const auto& one : all) {
    auto& row = out.values.emplace_back(count);
    if (auto ok = record.traces[one.trace]->read(first, row); !ok) return tl::unexpected(ok.error());
    if (one.factor != 1)
      for (auto& v : row) v *= one.factor;
  }
  return out;
}

Result<tl::expected<Measured, std::string>> measure(const Waveforms& record, const Wiring& wiring, const Settings& settings) {
  const auto read = rows_of(record, wiring, settings);
  if (!read) return tl::unexpected(read.error());
  return measure_rows(record, wiring, *read);
}

tl::expected<Measured, std::string> measure_rows(const Waveforms& record, const Wiring& wiring, const Rows& read) {
  std::vector<Placed> all = wiring.voltages;
  all.insert(all.end(), wiring.currents.begin(), wiring.currents.end());
  const auto& time = record.traces[all.front().trace]->time;
  const auto& rows = read.values;
  Measured out;
  auto& s = out.statistics;
  s.phases = wiring.phases();
  s.has_voltage = !wiring.voltages.empty();
  s.has_current = !wiring.currents.empty();
  s.of_lines = wiring.form == Form::lines;
  const auto& tells = rows[wiring.cycles_by];
  const auto cycles = signal::whole_cycles(tells);
  if (!cycles || cycles->count < 2) return tl::unexpected<std::string>("no fundamental is found: the record does not hold two whole cycles of anything");
  s.cycles = cycles->count;
  s.samples = cycles->samples();
  s.frequency = cycles->frequency / time.step();
  s.u_frequency = cycles->u_frequency / time.step();
  s.phasor_variance = signal::phasor_variance(*cycles);
  const auto n = rows.size();
  s.product = signal::mean_products(rows, *cycles);
  for (std::size_t i = 0; i < n; ++i) {
    const auto& row = rows[i];
    s.mean.push_back(signal::mean_over(row, *cycles));
    auto harmonics = signal::harmonics_over(row, *cycles, kHighest);
    s.phasor.push_back(std::move(harmonics.peak));
    s.noise.push_back(harmonics.noise);
    const auto top = largest(row);
    s.highest.push_back(top.value);
    s.rounding.push_back(top.u_value);
    const auto& e = record.errors[all[i].trace];
    out.errors.push_back({e.u_gain, e.u_offset * std::abs(all[i].factor), e.u_delay, e.corner, e.low_corner, e.u_corner});
  }
  if (s.of_lines)
    for (std::size_t p = 0; p < 3; ++p) {
      auto phase = rows[p];
      const auto& other = rows[(p + 2) % 3];
      for (std::size_t k = 0; k < phase.size(); ++k) phase[k] = (phase[k] - other[k]) / 3;
      const auto top = largest(phase);
      s.highest[p] = top.value;
      s.rounding[p] = top.u_value;
    }
  // Beyond half the sample rate nothing is known; all channels tell as many orders.
  std::size_t orders = kHighest;
  for (const auto& p : s.phasor) orders = std::min(orders, p.size());
  if (orders == 0) return tl::unexpected<std::string>("no fundamental is found: it lies at half the sample rate");
  for (auto& p : s.phasor) p.resize(orders);
  // Where a channel's first sample was really taken, against the first channel's.
  for (std::size_t i = 0; i < n; ++i) {
    const double late = record.traces[all[i].trace]->time.start() - time.start();
    const auto& e = out.errors[i];
    turn(s, i, [&](int h) { return std::polar(1.0, -2 * pi * h * s.frequency * late) / corners(e, h * s.frequency); });
  }
  const auto half = std::span<const double>(tells).first(tells.size() / 2), other = std::span<const double>(tells).subspan(tells.size() / 2);
  const auto a = signal::whole_cycles(half), b = signal::whole_cycles(other);
  // What is switched may have more of its switching in it than of what it turns with; the current tells.
  constexpr double kSame = 0.1, kKnown = 1e-3;
  constexpr int kOfAHalf = 4;
  if (s.has_voltage && s.has_current && wiring.cycles_by < s.phases)
    if (const auto current = signal::whole_cycles(rows[s.current(0)]); current && current->frequency < (1 - kSame) * cycles->frequency && current->u_frequency < kKnown * current->frequency)
      out.current_repeats = current->frequency / time.step();
  if (a && b && std::min(a->count, b->count) >= kOfAHalf) out.drift = b->frequency / a->frequency - 1;
  return out;
}

Statistics moved(const Statistics& s, std::size_t channel, ErrorOf what, double by, const ChannelErrors& errors) {
  Statistics out = s;
  switch (what) {
    case ErrorOf::gain:
      for (std::size_t j = 0; j < s.channels(); ++j) {
        out.product[channel][j] *= 1 + by;
        out.product[j][channel] = out.product[channel][j];
      }
      out.product[channel][channel] = s.product[channel][channel] * (1 + by) * (1 + by);
      for (auto& x : out.phasor[channel]) x *= 1 + by;
      out.mean[channel] *= 1 + by;
      out.highest[channel] *= 1 + by;
      break;
    case ErrorOf::offset:
      for (std::size_t j = 0; j < s.channels(); ++j) {
        out.product[channel][j] += by * s.mean[j];
        out.product[j][channel] = out.product[channel][j];
      }
      out.product[channel][channel] = s.product[channel][channel] + 2 * by * s.mean[channel] + by * by;
      out.mean[channel] += by;
      out.highest[channel] += std::abs(by);
      break;
    case ErrorOf::delay:
      turn(out, channel, [&](int h) { return std::polar(1.0, -2 * pi * h * s.frequency * by); });
      break;
    case ErrorOf::corner:
      turn(out, channel, [&](int h) { return corners(errors, h * s.frequency) / corners(errors, h * s.frequency, by); });
      break;
  }
  return out;
}

}  // namespace heron::study::power
