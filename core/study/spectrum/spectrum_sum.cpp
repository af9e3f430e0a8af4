#include "study/spectrum/spectrum_sum.h"

#include <algorithm>
#include <cmath>

#include "study/spectrum/find.h"
#include "study/spectrum/lobe.h"

namespace heron::study::spectrum {
namespace {

constexpr double kNear = 0.05;       ///< of a fundamental that is said, within which it is looked for
constexpr std::size_t kLooked = 16;  ///< segments that the fundamental is looked for in

}  // namespace

Result<SpectrumSum> SpectrumSum::begin(const Trace& first, std::size_t samples, const Settings& settings, const std::vector<Link>& own_links) {
  if (!first.time.even()) return fail(Fault::input, "{}: the times are not even to 0.1 %, which a spectrum wants.", first.name);
  const auto cut = segments_of(samples, settings);
  if (!cut) return tl::unexpected(cut.error());
  SpectrumSum out;
  out.settings_ = settings;
  out.links_ = own_links;
  if (const auto said = settings.links.find(first.name); said != settings.links.end()) out.links_.push_back(said->second);
  out.cut_ = *cut;
  auto& s = out.blank_;
  s.name = first.name;
  s.unit = first.unit;
  s.samples = cut->length;
  s.sample_rate = 1 / first.time.step();
  s.line = s.sample_rate / double(s.samples);
  return out;
}

/// The mean of records as they are has one segment.
Result<void> SpectrumSum::add_mean(const Trace& record) {
  std::vector<double> values(cut_.length);
  if (auto ok = record.read(0, values); !ok) return ok;
  total_.resize(cut_.length);
  for (std::size_t k = 0; k < values.size(); ++k) total_[k] += values[k];
  return {};
}

Result<void> SpectrumSum::add(const Trace& record) {
  if (std::abs(record.time.step() * blank_.sample_rate - 1) > 1e-9) return fail(Fault::input, "{}: its records are not of one sample rate.", record.name);
  if (record.size() < cut_.length) return fail(Fault::input, "{}: a record of {} samples is shorter than those before it.", record.name, record.size());
  segments_.push_back(int((record.size() - cut_.length) / cut_.step) + 1);
  if (settings_.average == Average::coherent) {
    if (auto ok = add_mean(record); !ok) return ok;
    // Of one alone its segments are averaged by their power.
    if (segments_.size() > 1) return {};
  }
  for (int k = 0; k < segments_.back(); ++k) {
    auto one = signal::RecordLines::filled(cut_.length, [&](std::span<double> into) { return record.read(std::size_t(k) * cut_.step, into); });
    if (!one) return tl::unexpected(one.error());
    if (!sums_ && kept_.size() == kLooked) {
      sums_ = decided();
      while (kept_.size() > 1) kept_.pop_back();
    }
    if (sums_)
      sums_->add(*one);
    else
      kept_.push_back(std::move(*one));
  }
  return {};
}

void SpectrumSum::Sums::add(const signal::RecordLines& one) {
  one.add_power(s.facts, s.power);
  if (!silent()) strong.add(one);
  ++count;
}

/// Window, fundamental and strong tones by the records that are kept, and these summed.
SpectrumSum::Sums SpectrumSum::decided() const {
  const auto& first = kept_.front();
  const auto lines = first.lines();
  Spectrum s = blank_;
  const auto plain = first.largest(1, lines);
  const bool silent = !(plain.power > 0);
  std::size_t from = 1, to = lines;
  if (const auto& said = settings_.fundamental) {
    from = std::size_t(std::clamp(std::ceil((1 - kNear) * *said / s.line), 1.0, double(lines - 1)));
    to = std::size_t(std::clamp(std::floor((1 + kNear) * *said / s.line) + 1, double(from + 1), double(lines)));
  }
  // Whether the record holds whole cycles decides the window.
  bool whole = false;
  const auto looked_at = settings_.fundamental ? first.largest(from, to).line : plain.line;
  if (const auto found = silent ? std::nullopt : first.tone_near(looked_at, signal::facts_of(signal::Window::blackman_harris))) {
    put_place(s, found->place);
    whole = s.coherent && !another_between(first, found->place, found->power());
  }
  s.window = settings_.window.value_or(whole ? signal::Window::rectangular : signal::Window::blackman_harris);
  s.facts = signal::facts_of(s.window);
  first.add_power(s.facts, s.power);
  s.rest = s.power;
  for (std::size_t k = 1; k < kept_.size(); ++k) kept_[k].add_power(s.facts, s.power);
  if (!settings_.fundamental) from = std::min(to - 1, std::size_t(s.facts.reach) + 1);
  const auto top = largest_line(s.power, from, to);
  // A window keeps most of a tone's leakage away; what it leaves is taken off with the tone. Without a window it is what it is.
  StrongTones strong(s.facts, top, s.window != signal::Window::rectangular);
  if (!silent) strong.begin(first, leakage(0.5, s.window, s.samples), s.rest);
  for (std::size_t k = 1; k < kept_.size() && !silent; ++k) strong.add(kept_[k]);
  return {.s = std::move(s), .strong = std::move(strong), .top = top, .plain = plain, .count = kept_.size()};
}

Spectrum SpectrumSum::finished(Sums sums, const signal::RecordLines& first, double averages) const {
  auto& s = sums.s;
  s.averages = averages;
  if (sums.count > 1) {
    s.rest = s.power;
    sums.strong.put_into(s.rest);
    for (auto* powers : {&s.power, &s.rest})
      for (auto& p : *powers) p /= double(sums.count);
  }
  find_tones(s, {.first = first, .strong = sums.strong, .top = sums.top, .plain = sums.plain}, links_, settings_);
  return std::move(s);
}

Spectrum SpectrumSum::spectrum() const {
  if (settings_.average == Average::coherent && segments_.size() > 1) {
    auto mean = total_;
    for (auto& v : mean) v /= double(segments_.size());
    SpectrumSum alone;
    alone.settings_ = settings_;
    alone.links_ = links_;
    alone.blank_ = blank_;
    alone.kept_.emplace_back(mean);
    return alone.finished(alone.decided(), alone.kept_.front(), 1);
  }
  auto sums = sums_ ? *sums_ : decided();
  const double averages = independent(sums.s.window, cut_, segments_);
  return finished(std::move(sums), kept_.front(), averages);
}

Result<Spectrum> spectrum_of(const std::vector<TracePtr>& records, const Settings& settings, const std::vector<Link>& own_links) {
  std::size_t samples = records.front()->size();
  for (const auto& r : records) samples = std::min(samples, r->size());
  auto sum = SpectrumSum::begin(*records.front(), samples, settings, own_links);
  if (!sum) return tl::unexpected(sum.error());
  for (const auto& r : records)
    if (auto ok = sum->add(*r); !ok) return tl::unexpected(ok.error());
  return sum->spectrum();
}

}  // namespace heron::study::spectrum
