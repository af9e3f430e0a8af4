#include "study/power/plan.h"

#include <cmath>

#include "base/quantity.h"
#include "study/power/words.h"

namespace heron::study::power {

long long Plan::samples() const { return std::llround(record_length() * rate) + 2; }

double Plan::seconds() const {
  const double settle = method == Method::switch_on ? 0 : settle_time;
  if (method == Method::cycles) return settle + readings * std::max(every, record_length());
  return settle + length;
}

Result<void> check(const Plan& p) {
  if (p.hookup.chains.empty()) return fail(Fault::input, "No input senses anything: connect one on the Hookup page.");
  if (p.method == Method::recording) {
    if (p.length * p.rate > double(kMostRecording))
      return fail(Fault::input, "{} at {} are more than {} samples. Sample more slowly, or record for a shorter time.", format_duration(p.length), format_setting(p.rate, "Hz"), kMostRecording);
    if (p.record_length() > p.length / 2) return fail(Fault::input, "A recording of {} holds no two readings of {}.", format_duration(p.length), format_duration(p.record_length()));
  }
  if (p.samples() > kMostRecord)
    return fail(Fault::input, "A record of {} at {} has more than {} samples. Sample more slowly, or read for a shorter time.", format_duration(p.record_length()),
                format_setting(p.rate, "Hz"), kMostRecord);
  if (p.samples() < 32) return fail(Fault::input, "A record of {} at {} has too few samples. Sample faster.", format_duration(p.record_length()), format_setting(p.rate, "Hz"));
  if (p.method == Method::cycles && p.rate < 8 * p.frequency)
    return fail(Fault::input, "At {} a cycle of {} has fewer than eight samples. Sample faster.", format_setting(p.rate, "Hz"), format_setting(p.frequency, "Hz"));
  if (p.three() && (p.pin == p.pin_b || p.pin == p.pin_c || p.pin_b == p.pin_c)) return fail(Fault::input, "Three phases feed three pins.");
  return {};
}

Result<Plan> plan_from_json(const nlohmann::json& kept) {
  Plan out;
  if (auto ok = words().from_json(kept, out); !ok) return tl::unexpected(ok.error());
  return out;
}

nlohmann::json to_json(const Plan& plan) { return words().to_json(plan); }

}  // namespace heron::study::power
