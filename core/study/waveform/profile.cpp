#include "study/waveform/profile.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "study/clipping.h"
#include "study/places.h"

namespace heron::study::waveform {
namespace {

Result<double> noise_within(const Trace& trace, const Stretch& over) {
  // All of it where that is little; else pieces spread over it.
  constexpr std::size_t kPieces = 64, kPiece = 4096;
  if (over.size() <= kPieces * kPiece) {
    std::vector<double> all(over.size());
    if (auto ok = trace.read(over.first, all); !ok) return tl::unexpected(ok.error());
    return signal::noise_of(all);
  }
  std::vector<double> found, piece(kPiece);
  for (std::size_t k = 0; k < kPieces; ++k) {
    if (auto ok = trace.read(over.first + k * (over.size() - kPiece) / (kPieces - 1), piece); !ok)
      return tl::unexpected(ok.error());
    found.push_back(signal::noise_of(piece));
  }
  std::sort(found.begin(), found.end());
  return found[found.size() / 4];
}

bool periods_agree(const std::vector<signal::Crossing>& mids) {
  std::vector<double> rising;
  for (const auto& c : mids)
    if (c.rising) rising.push_back(c.place);
  if (rising.size() < 3) return false;
  const double mean = (rising.back() - rising.front()) / double(rising.size() - 1);
  for (std::size_t k = 1; k < rising.size(); ++k)
    if (std::abs(rising[k] - rising[k - 1] - mean) > 0.1 * mean) return false;
  return true;
}

struct Mean {
  double sum = 0, squares = 0, count = 0;
  void add(double v) {
    sum += v;
    squares += v * v;
    ++count;
  }
  void add(const signal::BlockSums& block) {
    sum += block.sum;
    squares += block.squares;
    count += double(Trace::kBlock);
  }
  double mean() const { return sum / count; }
};

/// Which part of the way from one transition to the next a sample lies in.
class Rests {
 public:
  explicit Rests(const Profile& p) : p_(p), high_(!p.mids.front().rising) { between(double(p.over.first), p.mids.front().place); }

  /// To places that only rise.
  void go_to(double place) {
    while (next_ < p_.mids.size() && place >= p_.mids[next_].place) {
      high_ = p_.mids[next_].rising;
      const double from = p_.mids[next_].place;
      between(from, ++next_ < p_.mids.size() ? p_.mids[next_].place : double(p_.over.last));
    }
  }
  bool high() const { return high_; }
  bool settled(double place) const { return place >= settled_ && place < end_; }
  bool late(double place) const { return place >= late_ && place < end_; }
  /// Nothing of the above changes from one place to the next.
  bool same(double a, double b) const {
    return (next_ == p_.mids.size() || b < p_.mids[next_].place) && settled(a) == settled(b) && late(a) == late(b) && (a < settled_) == (b < settled_);
  }

 private:
  /// After a transition the last half has settled. What a record begins with has nothing to settle from, but may hold
  /// what comes ahead of the first transition.
  void between(double from, double to) {
    const double ahead = next_ == 0 ? (to - from) / 4 : 0;
    settled_ = (from + to) / 2 - ahead;
    late_ = from + 0.75 * (to - from) - ahead;
    end_ = to - ahead;
  }

  const Profile& p_;
  std::size_t next_ = 0;
  bool high_;
  double settled_ = 0, late_ = 0, end_ = 0;
};

/// A mode is pulled by what is still on its way to it. The level is read once more from what has settled, as far as it
/// lies at the mode.
Result<void> settle_states(const Trace& trace, Profile& p) {
  if (p.mids.empty()) return {};
  constexpr double kFew = 8;
  Mean settled[2], late[2];  // of the low and the high state
  const double levels[2] = {p.states->low.level, p.states->high.level};
  const double reach[2] = {4 * std::max(p.states->low.scatter, p.noise) + 2e-3 * p.swing,
                           4 * std::max(p.states->high.scatter, p.noise) + 2e-3 * p.swing};
  Rests ahead(p), rests(p);
  const auto takes = [&](std::size_t k, std::span<const signal::BlockSums> blocks) {
    const double first = double(k * Trace::kBlock), last = first + double(Trace::kBlock - 1);
    ahead.go_to(first);
    if (!ahead.same(first, last)) return false;
    const double level = levels[ahead.high()], off = reach[ahead.high()];
    return !ahead.settled(first) || (blocks[k].low >= level - off && blocks[k].high <= level + off);
  };
  const auto add = [&](double place, const auto& what) {
    if (!rests.settled(place)) return;
    settled[rests.high()].add(what);
    if (rests.late(place)) late[rests.high()].add(what);
  };
  auto ok = for_each_block(
      trace, p.over.first, p.over.last, takes,
      [&](std::size_t at, const signal::BlockSums& block) {
        rests.go_to(double(at));
        add(double(at), block);
      },
      [&](std::size_t at, std::span<const double> values) {
        for (std::size_t k = 0; k < values.size(); ++k) {
          rests.go_to(double(at + k));
          if (std::abs(values[k] - levels[rests.high()]) <= reach[rests.high()]) add(double(at + k), values[k]);
        }
      });
  if (!ok) return ok;
  for (const int which : {0, 1}) {
    const auto& rest = settled[which];
    if (rest.count < kFew) continue;
    auto& state = which == 0 ? p.states->low : p.states->high;
    state.level = rest.mean();
    state.scatter = std::sqrt(std::max(0.0, rest.squares / rest.count - state.level * state.level));
    state.share = rest.count / double(p.over.size());
    // What it still moves from its last half to its last quarter, beyond what noise makes of that, it may move on.
    if (late[which].count >= kFew)
      state.drift = std::max(0.0, std::abs(late[which].mean() - state.level) - 2 * std::max(state.scatter, p.noise) / std::sqrt(late[which].count));
  }
  p.middle = (p.states->low.level + p.states->high.level) / 2;
  p.swing = p.states->high.level - p.states->low.level;
  return {};
}

}  // namespace

Result<Profile> profile_of(const Trace& trace, const TraceErrors& errors, const Stretch& over) {
  const auto ends = at_ends(trace, over.first, over.last);
  if (!ends) return tl::unexpected(ends.error());
  Profile out{.over = over, .low = ends->low, .high = ends->high, .longest_at_low = ends->longest_low, .longest_at_high = ends->longest_high};
  const auto noise = noise_within(trace, over);
  if (!noise) return tl::unexpected(noise.error());
  // Rounding to counts is noise of a twelfth of a count squared, where the samples themselves do not show more.
  // Of a mean of records it is what they are rounded by alike.
  out.noise = std::max(*noise, errors.rounding ? *errors.rounding / std::numbers::sqrt2 : errors.quantum / std::sqrt(12.0));
  out.middle = (out.low + out.high) / 2;
  out.swing = out.high - out.low;
  if (!(out.high > out.low)) return out;

  signal::LevelHistogram histogram(out.low, out.high);
  auto ok = for_each_stretch(trace, over.first, over.last,
                             [&](std::size_t, std::span<const double> values) { histogram.add(values); });
  if (!ok) return tl::unexpected(ok.error());
  out.states = histogram.states();
  if (out.states) {
    out.middle = (out.states->low.level + out.states->high.level) / 2;
    out.swing = out.states->high.level - out.states->low.level;
  }
  auto mids = crossings_of(trace, over, out.middle, kHysteresis * out.swing);
  if (!mids) return tl::unexpected(mids.error());
  out.mids = std::move(*mids);
  out.periodic = periods_agree(out.mids);
  if (out.states)
    if (auto settled = settle_states(trace, out); !settled) return tl::unexpected(settled.error());
  return out;
}

}  // namespace heron::study::waveform
