/// Records of straight lines, and what is read off them.
#pragma once
#include <catch2/catch.hpp>
#include <cmath>

#include "study/switching/figures.h"
#include "support.h"

namespace heron::test {

constexpr double kMicro = 1e-6, kNano = 1e-9;
using Corners = std::vector<std::pair<double, double>>;  ///< a time and a value

inline double on_line(const Corners& c, double at) {
  for (std::size_t k = 1; k < c.size(); ++k)
    if (at <= c[k].first) return c[k - 1].second + (c[k].second - c[k - 1].second) * (at - c[k - 1].first) / (c[k].first - c[k - 1].first);
  return c.back().second;
}

/// Pulses from 5 to 15 us and from 20 to 24 us on a bus of 48 V.
inline const Corners kPulsesV = {{0, 48}, {5, 48}, {5.05, 0}, {15, 0}, {15.05, 48}, {20, 48}, {20.05, 0}, {24, 0}, {24.05, 48}, {30, 48}};
/// 2 A/us while it is on, with 0.2 A that its zero is off by.
inline const Corners kPulsesI = {{0, 0.2}, {5, 0.2}, {15, 20.2}, {15.05, 20.2}, {15.15, 0.2}, {19.9, 0.2}, {20, 20.2}, {24, 28.2}, {24.05, 28.2}, {24.15, 0.2}, {30, 0.2}};
inline const Corners kPulsesG = {{0, -3}, {4.9, -3}, {5, 12}, {14.9, 12}, {15, -3}, {19.8, -3}, {19.9, 12}, {23.9, 12}, {24, -3}, {30, -3}};

using Lines = std::vector<std::pair<std::string, Corners>>;  ///< a quantity, its times in us

/// So many us of them, a sample every ten nanoseconds.
inline study::WaveformsPtr record_of(const Lines& all, double last = 30) {
  study::Point point{.setting = nlohmann::json::object(), .records = {}};
  study::Record r{.sample_rate = 100e6};
  for (const auto& [role, corners] : all) {
    study::Channel c{.role = role, .unit = role[0] == 'v' ? "V" : "A"};
    for (int k = 0; k <= int(std::lround(100 * last)); ++k) c.numbers.push_back(on_line(corners, 0.01 * k));
    r.channels.push_back(std::move(c));
  }
  point.records.push_back(std::move(r));
  auto out = study::switching::waveforms_of(point, {});
  if (!out) FAIL(out.error().message);
  return *out;
}
inline study::switching::Settings switching_settings(const study::SettingsText& text) {
  auto out = study::switching::settings_from_text(text);
  if (!out) FAIL(out.error().message);
  return *out;
}
inline study::switching::ShotPtr shot_of(const Lines& all, const study::SettingsText& text = {}) {
  auto out = study::switching::read_shot(record_of(all), switching_settings(text));
  if (!out) FAIL(out.error().message);
  return *out;
}

}  // namespace heron::test
