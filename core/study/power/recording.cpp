#include "study/power/recording.h"

#include <algorithm>
#include <chrono>
#include <cmath>

#include "base/quantity.h"
#include "study/power/trend.h"
#include "study/quantities.h"
#include "study/watch_duty.h"

namespace heron::study::power {
namespace {

constexpr std::size_t kTogether = 256;  ///< readings that become one point
constexpr std::size_t kMostLogged = 100'000;  ///< times that watches trip

/// What one quantity came to over a reading.
struct Sums {
  double sum = 0, squares = 0, low = INFINITY, high = -INFINITY;
};

using Clock = std::chrono::steady_clock;
constexpr double kSoon = 0.3;     ///< s after which readings are kept
constexpr double kOfAll = 2000;   ///< and no more often than so many times in all
constexpr double kClockMoved = 1;  ///< s that the computer's clock must jump, or stand, to be told

class Recording {
 public:
  Recording(const Plan& p, bench::Bench& bench, const RunContext& context, nlohmann::json about, std::vector<std::string> names)
      : p_(p), bench_(bench), context_(context), about_(std::move(about)), names_(std::move(names)), began_(bench.elapsed()) {}

  Result<void> run();

 private:
  Result<void> take(const bench::Capture& stretch);
  Result<void> end_reading();
  Result<void> keep_readings();
  Result<void> keep_raw();
  void note_trips();
  void note_clocks();
  Result<void> pass_over(std::size_t lost);
  /// What was noticed at an instant of the recording itself.
  void note(std::string text, double lasts = 0) { log_.push_back({double(seen_) / rate_, double(seen_) / rate_ + lasts, "", std::move(text), 0, ""}); }

  const Plan& p_;
  bench::Bench& bench_;
  const RunContext& context_;
  nlohmann::json about_;
  std::vector<std::string> names_;
  double began_;
  std::size_t per_reading_ = 1;
  double rate_ = 0;
  Clock::time_point started_ = Clock::now(), kept_ = started_;
  Clocks clocks_ = context_.clocks();
  int index_ = 0;                        ///< of the next point
  std::size_t seen_ = 0;                 ///< samples so far
  std::size_t in_reading_ = 0;
  std::vector<Sums> sums_;
  double product_ = 0;                   ///< of the first voltage and the first current
  std::optional<std::size_t> volts_, amperes_;
  std::vector<bench::Sensing> sensing_;
  bench::Capture raw_;                   ///< of the reading under way
  std::vector<Watch> watched_;
  std::optional<WatchDuty> duty_;
  std::vector<LogEntry> log_;            ///< since the last readings were kept
  std::size_t logged_ = 0;
  bool tripped_ = false;                 ///< in the reading under way
  std::vector<double> times_;
  std::vector<std::vector<double>> columns_;
  std::vector<std::pair<std::string, std::string>> heads_;  ///< names and units of the columns
};

void Recording::note_trips() {
  // One that is still under way is told once it has ended.
  const auto ended = duty_->ended();
  if (!ended.empty() || !duty_->still_open().empty()) tripped_ = true;
  for (const auto& trip : ended) {
    if (context_.tripped) context_.tripped(*trip.watch);
    if (++logged_ > kMostLogged) continue;
    const auto& [watch, k, e, open] = trip;
    log_.push_back({e.from, e.to, watch->name,
                    fmt::format("{} went {} {} for {}", names_[k], watch->over ? "over" : "under", format_setting(watch->limit, sensing_[k].unit), format_quantity(e.to - e.from, "s", 3).plain()),
                    e.extreme, std::string(sensing_[k].unit)});
  }
}

void Recording::note_clocks() {
  const auto now = context_.clocks();
  if (const double slept = now.slept_since(clocks_); slept > kClockMoved)
    note(fmt::format("the computer slept for {}; times go on by the samples that came", format_duration(slept)));
  if (const double set = now.set_since(clocks_); std::abs(set) > kClockMoved)
    note(fmt::format("the computer's clock was set {} by {}; times go on by the samples that came", set > 0 ? "forward" : "back", format_duration(std::abs(set))));
  clocks_ = now;
}

/// What was lost belongs to no reading.
Result<void> Recording::pass_over(std::size_t lost) {
  duty_->skip(lost);
  note_trips();
  if (in_reading_ > 0)
    if (auto ok = end_reading(); !ok) return ok;
  const double lasts = double(lost) / rate_;
  note(fmt::format("{} samples were lost, {}", lost, format_quantity(lasts, "s", 3).plain()), lasts);
  seen_ += lost;
  return {};
}

Result<void> Recording::take(const bench::Capture& stretch) {
  note_clocks();
  if (stretch.lost > 0)
    if (auto ok = pass_over(stretch.lost); !ok) return ok;
  const auto n = stretch.channels.front().counts.size();
  std::vector<std::vector<double>> rows(names_.size());
  for (std::size_t k = 0; k < names_.size(); ++k) rows[k] = in_quantity(stretch.channels[k], sensing_[k]);
  for (std::size_t at = 0; at < n;) {
    const auto now = std::min(n - at, per_reading_ - in_reading_);
    for (std::size_t k = 0; k < names_.size(); ++k) {
      const auto part = std::span<const double>(rows[k]).subspan(at, now);
      auto& s = sums_[k];
      for (const double v : part) {
        s.sum += v;
        s.squares += v * v;
        s.low = std::min(s.low, v);
        s.high = std::max(s.high, v);
      }
      duty_->add(k, part);
    }
    note_trips();
    if (volts_ && amperes_)
      for (std::size_t j = at; j < at + now; ++j) product_ += rows[*volts_][j] * rows[*amperes_][j];
    if (p_.keep == Keep::events) {
      if (raw_.channels.empty()) {
        raw_ = stretch;
        for (auto& channel : raw_.channels) channel.counts.clear();
      }
      for (std::size_t k = 0; k < names_.size(); ++k) {
        const auto first = stretch.channels[k].counts.begin() + std::ptrdiff_t(at);
        raw_.channels[k].counts.insert(raw_.channels[k].counts.end(), first, first + std::ptrdiff_t(now));
      }
    }
    seen_ += now;
    in_reading_ += now;
    at += now;
    if (in_reading_ == per_reading_)
      if (auto ok = end_reading(); !ok) return ok;
    if (const auto& by = duty_->ends())
      return fail(Fault::stopped, "The watch {} tripped at {}: {}. The recording was ended; what was read is kept.", by->watch->name, format_duration(by->excursion.from),
                  trip_text(*by, names_[by->quantity], sensing_[by->quantity].unit));
  }
  if (context_.progress) {
    const double share = double(seen_) / rate_ / p_.length;
    context_.progress({.done = 0, .total = 1, .bench_seconds_left = p_.length * (1 - share), .share = std::min(1.0, share)});
  }
  return {};
}

Result<void> Recording::end_reading() {
  if (tripped_ && p_.keep == Keep::events)
    if (auto ok = keep_raw(); !ok) return ok;
  const double n = double(in_reading_);
  times_.push_back((double(seen_) - n / 2) / rate_);
  std::size_t c = 0;
  for (const auto& s : sums_)
    for (const double value : {s.sum / n, std::sqrt(std::max(0.0, s.squares / n)), s.low, s.high}) columns_[c++].push_back(value);
  if (volts_ && amperes_) columns_[c++].push_back(product_ / n);
  tripped_ = false;
  raw_.channels.clear();
  in_reading_ = 0;
  product_ = 0;
  std::fill(sums_.begin(), sums_.end(), Sums{});
  // On a bench that takes its time every reading is safe as soon as it is there; over days a few of them together.
  using Seconds = std::chrono::duration<double>;
  const auto now = Clock::now();
  const bool due = Seconds(now - kept_).count() > std::max(kSoon, Seconds(now - started_).count() / kOfAll);
  return due || times_.size() >= kTogether ? keep_readings() : Result<void>{};
}

Result<void> Recording::keep_raw() {
  auto setting = about_;
  // Times are the recording's.
  const double begins = (double(seen_) - double(in_reading_)) / rate_;
  setting["trigger_at"] = -begins;
  Point point{.index = index_, .setting = std::move(setting), .records = {}};
  point.records.push_back(as_record(raw_, names_, 0));
  if (auto ok = context_.keep(point); !ok) return ok;
  for (auto& e : log_)
    if (!e.point && !e.watch.empty() && e.to >= begins) e.point = index_;
  ++index_;
  return {};
}

Result<void> Recording::keep_readings() {
  if (times_.empty()) return {};
  nlohmann::json setting = {{"method", method_text(Method::recording)}, {kReadings, int(times_.size())}};
  auto& log = setting[kLog] = nlohmann::json::array();
  for (const auto& e : log_) log.push_back(to_json(e));
  Record table;
  table.channels.push_back({.role = "time", .unit = "s", .numbers = times_});
  for (std::size_t c = 0; c < columns_.size(); ++c) table.channels.push_back({.role = heads_[c].first, .unit = heads_[c].second, .numbers = columns_[c]});
  Point point{.index = index_, .setting = std::move(setting), .records = {}};
  point.records.push_back(std::move(table));
  kept_ = Clock::now();
  // What could not be kept is tried once more at the end.
  if (auto ok = context_.keep(point); !ok) return ok;
  ++index_;
  times_.clear();
  for (auto& column : columns_) column.clear();
  log_.clear();
  return {};
}

Result<void> Recording::run() {
  const auto settings = settings_from_text(context_.around.settings);
  if (!settings) return tl::unexpected(settings.error());
  rate_ = bench_.nearest_rate(p_.rate);
  per_reading_ = std::max<std::size_t>(1, std::size_t(std::llround(p_.record_length() * rate_)));
  std::vector<WatchDuty::Quantity> watchable;
  for (std::size_t k = 0; k < names_.size(); ++k) {
    sensing_.push_back(bench::sensing_of(p_.hookup.chains[k]));
    const auto unit = std::string(sensing_[k].unit);
    for (const auto what : {Reads::mean, Reads::rms, Reads::low, Reads::high}) heads_.emplace_back(names_[k] + std::string(reads_text(what)), unit);
    if (unit == "V" && !volts_) volts_ = k;
    if (unit == "A" && !amperes_) amperes_ = k;
    watchable.push_back({names_[k], unit});
  }
  watched_ = settings->watches;
  duty_.emplace(watched_, watchable, TimeBase(0, 1 / rate_));
  if (volts_ && amperes_) heads_.emplace_back("power", "W");
  columns_.resize(heads_.size());
  sums_.resize(names_.size());
  const auto samples = static_cast<long long>(std::floor(p_.length * rate_));
  const auto read = bench_.capture(p_.rate, int(std::min<long long>(samples, kMostRecording)), context_.stop, [&](const bench::Capture& stretch) { return take(stretch); });
  // However it ended, nothing that was read is lost.
  const auto open = duty_->still_open();
  for (const auto& [watch, k, e, is_open] : open) {
    if (context_.tripped) context_.tripped(*watch);
    log_.push_back({e.from, e.to, watch->name, fmt::format("{} was still {} {} at the end", names_[k], watch->over ? "over" : "under", format_setting(watch->limit, sensing_[k].unit)), e.extreme,
                    std::string(sensing_[k].unit)});
  }
  if (!read) note("the recording ended: " + read.error().message);
  if (logged_ > kMostLogged) note(fmt::format("a watch tripped {} times; the log has the first {}", logged_, kMostLogged));
  if (in_reading_ > 0)
    if (auto ok = end_reading(); !ok) return ok;
  if (auto ok = keep_readings(); !ok) return ok;
  if (!read) {
    if (read.error().fault != Fault::stopped || duty_->ends()) return tl::unexpected(read.error());
    return fail(Fault::stopped, "Stopped after {}; what was read is kept.", format_duration(double(seen_) / rate_));
  }
  return {};
}

}  // namespace

Result<void> record(const Plan& plan, bench::Bench& bench, const RunContext& context, nlohmann::json about, const std::vector<std::string>& names) {
  return Recording(plan, bench, context, std::move(about), names).run();
}

}  // namespace heron::study::power
