#include "study/spectrum/codes.h"

#include <algorithm>
#include <cassert>
#include <cmath>
#include <numeric>

#include "study/spectrum/spectrum.h"

namespace heron::study::spectrum {
namespace {

constexpr double kWhole = 0.02;  ///< of a step, within which a number is a whole one: what a printed voltage is rounded to

bool all_whole(std::span<const double> values, double step, double shift = {}) {
  return std::all_of(values.begin(), values.end(), [&](double v) {
    const double code = v / step - shift;
    return std::abs(code - std::round(code)) < kWhole;
  });
}

/// Codes within what the bits hold, or what else they are.
Result<void> check_codes(const std::string& name, double low, double high, const Coding& coding, bool unsigned_ones) {
  const double lifts = -coding.lowest(), least = coding.lowest() + (unsigned_ones ? lifts : 0), most = coding.highest() + (unsigned_ones ? lifts : 0);
  if (low >= least && high <= most) return {};
  if (!unsigned_ones && low >= 0 && high <= most + lifts)
    return fail(Fault::input, "{}: its codes go from {} to {}, which {} bits with a sign do not hold; they are unsigned ones. Set coding=unsigned.", name, low, high,
                coding.bits);
  return fail(Fault::input, "{}: its codes go from {} to {}; {} bits hold {} to {}.", name, low, high, coding.bits, least, most);
}

}  // namespace

Result<std::optional<Coded>> coded(const TracePtr& trace, const std::optional<Coding>& by_bench, const Settings& settings) {
  if (by_bench) return Coded{*by_bench, trace, 0};
  if (!settings.bits) return std::nullopt;
  // Sound goes from -1 to 1 by itself.
  const auto full_scale = settings.full_scale ? settings.full_scale : trace->unit == "1" ? std::optional(1.0) : std::nullopt;
  if (!full_scale) return fail(Fault::usage, "bits alone do not say what a code stands for: set full_scale beside it.");
  const Coding coding{int(*settings.bits), *full_scale};
  const double step = coding.step();
  std::vector<double> values(trace->size());
  if (auto ok = trace->read(0, values); !ok) return tl::unexpected(ok.error());
  if (values.empty()) return std::nullopt;
  const auto [lowest, highest] = std::minmax_element(values.begin(), values.end());
  const bool unsigned_ones = settings.coding == CodeSign::none;
  // Volts in whole steps, from the middle of a code or from its lower end; else whole numbers are the codes themselves.
  const double first = values.front() / step, shift = first - std::floor(first + kWhole);
  const bool fits = std::max(std::abs(*lowest), std::abs(*highest)) <= coding.full_scale * (1 + 1e-9);
  if (fits && all_whole(values, step, shift)) {
    if (auto ok = check_codes(trace->name, std::round(*lowest / step - shift), std::round(*highest / step - shift), coding, false); !ok) return tl::unexpected(ok.error());
    return Coded{coding, trace, shift};
  }
  if (!all_whole(values, 1)) {
    if (!fits && all_whole(values, step, shift))
      if (auto ok = check_codes(trace->name, std::round(*lowest / step - shift), std::round(*highest / step - shift), coding, false); !ok) return tl::unexpected(ok.error());
    return std::nullopt;
  }
  if (auto ok = check_codes(trace->name, *lowest, *highest, coding, unsigned_ones); !ok) return tl::unexpected(ok.error());
  const double middle = unsigned_ones ? -coding.lowest() : 0;
  for (auto& v : values) v = (std::round(v) - middle) * step;
  return Coded{coding, trace_of(trace->name, "V", trace->time, std::move(values)), 0};
}

Result<tl::expected<signal::CodeDensity, std::string>> density_of(const std::vector<Coded>& records, const Settings& settings, double place, std::size_t samples,
                                                                  double noise) {
  using Found = tl::expected<signal::CodeDensity, std::string>;
  const auto no = [](std::string why) -> Result<Found> { return Found(tl::unexpected<std::string>(std::move(why))); };
  const auto& coding = records.front().coding;
  const double step = coding.step();
  std::vector<std::size_t> hits(std::size_t(coding.highest() - coding.lowest() + 1));
  for (const auto& one : records) {
    auto ok = for_each_stretch(*one.volts, 0, one.volts->size(), [&](std::size_t, std::span<const double> values) {
      for (const double v : values) {
        const auto code = std::clamp<long>(std::lround(v / step - one.shift), coding.lowest(), coding.highest());
        ++hits[std::size_t(code - coding.lowest())];
      }
    });
    if (!ok) return tl::unexpected(ok.error());
  }
  const auto count = std::reduce(hits.begin(), hits.end());
  const auto low = std::find_if(hits.begin(), hits.end(), [](std::size_t n) { return n > 0; });
  const auto high = std::find_if(hits.rbegin(), hits.rend(), [](std::size_t n) { return n > 0; }).base();
  assert(count > 0);
  const auto codes = std::size_t(high - low);
  const double wanted = settings.histogram_samples * double(codes);
  if (double(count) < wanted)
    return no(fmt::format("{} codes want {:.0f} samples, {:g} a code (histogram_samples); there are {}", codes, wanted, settings.histogram_samples, count));
  // A whole number of cycles that shares a factor with the samples brings the same phases again and again.
  if (const auto cycles = std::size_t(std::llround(place)); cycles > 0 && is_whole(place)) {
    const auto phases = samples / std::gcd(cycles, samples);
    if (double(phases) < std::numbers::pi * double(codes))
      return no(fmt::format("its {} cycles in {} samples have only {} phases, which do not meet every code; drive at a number of cycles that shares no factor with the samples",
                            cycles, samples, phases));
  }
  // Beyond full scale there is no noise to be seen; and rounding is none before the converter.
  const double ends = double(*low + *(high - 1)) / double(count), shown = noise / (step * step) / std::max(0.1, 1 - ends);
  const double before = std::sqrt(std::max(0.0, shown - 1.0 / 12));
  return signal::code_density(hits, coding.lowest(), before);
}

}  // namespace heron::study::spectrum
