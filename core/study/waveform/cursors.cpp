#include "study/waveform/cursors.h"

#include <algorithm>
#include <cmath>

#include "study/places.h"
#include "study/waveform/profile.h"

namespace heron::study::waveform {

Result<std::optional<Between>> read_between(const Trace& trace, double a, double b) {
  const auto first = value_at(trace, a), second = value_at(trace, b);
  if (!first) return tl::unexpected(first.error());
  if (!second) return tl::unexpected(second.error());
  if (!*first || !*second || a == b) return std::optional<Between>();
  const auto n = trace.size();
  const auto sums = integrals(trace, trace.time.place_of(std::min(a, b), n), trace.time.place_of(std::max(a, b), n));
  if (!sums) return tl::unexpected(sums.error());
  if (!(sums->seconds > 0)) return std::optional<Between>();
  return std::optional(Between{.seconds = b - a,
                               .first = **first,
                               .second = **second,
                               .difference = **second - **first,
                               .mean = sums->value / sums->seconds,
                               .rms = std::sqrt(sums->squares / sums->seconds),
                               .integral = sums->value,
                               .slope = (**second - **first) / (b - a)});
}

namespace {

/// The samples of a part; empty where there are too few to read anything off.
Stretch stretch_of(const Trace& trace, double from, double to) {
  constexpr std::size_t kFew = 8;
  const auto n = trace.size();
  const auto inside = [&](double place) { return std::size_t(std::clamp(place, 0.0, double(n))); };
  const Stretch out{inside(std::ceil(trace.time.place_of(from, n))), inside(std::floor(trace.time.place_of(to, n)) + 1)};
  return out.last >= out.first + kFew ? out : Stretch{};
}

}  // namespace

Result<std::optional<Cursors>> at_states(const Waveforms& pass, std::size_t k, double from, double to, double near,
                                         double far) {
  const std::optional<Cursors> none;
  const auto& trace = *pass.traces[k];
  const auto over = stretch_of(trace, from, to);
  if (over.size() == 0) return none;
  const auto profile = profile_of(trace, pass.errors[k], over);
  if (!profile) return tl::unexpected(profile.error());
  if (!profile->states || profile->mids.empty()) return none;
  const auto level = [&](double percent) { return profile->middle + (percent - 50) / 100 * profile->swing; };
  const auto& mid = profile->mids.front();
  const double before = mid.rising ? near : far, after = mid.rising ? far : near;
  const auto a = first_beyond(trace, over, mid.place, level(before), !mid.rising, false);
  const auto b = first_beyond(trace, over, mid.place, level(after), mid.rising, true);
  if (!a || !b) return tl::unexpected(!a ? a.error() : b.error());
  if (!*a || !*b) return none;
  return std::optional(Cursors{trace.time.at_place(**a), trace.time.at_place(**b)});
}

Result<std::optional<Cursors>> of_start(const Waveforms& pass, std::size_t k, double from, double to, double near,
                                        double far) {
  const std::optional<Cursors> none;
  const auto& trace = *pass.traces[k];
  const auto over = stretch_of(trace, from, to);
  if (over.size() == 0) return none;
  constexpr std::size_t kLeast = 5, kMost = 10'000;
  std::vector<double> first(std::clamp(over.size() / 50, std::min(kLeast, over.size()), kMost));
  if (auto ok = trace.read(over.first, first); !ok) return tl::unexpected(ok.error());
  std::nth_element(first.begin(), first.begin() + std::ptrdiff_t(first.size() / 2), first.end());
  const double start = first[first.size() / 2];
  if (start == 0) return none;
  const auto a = first_beyond(trace, over, double(over.first), near / 100 * start, start < 0, true);
  if (!a) return tl::unexpected(a.error());
  if (!*a) return none;
  const auto b = first_beyond(trace, over, **a, far / 100 * start, start < 0, true);
  if (!b) return tl::unexpected(b.error());
  if (!*b) return none;
  return std::optional(Cursors{trace.time.at_place(**a), trace.time.at_place(**b)});
}

}  // namespace heron::study::waveform
