#include "study/iv/reduce_ramp.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <map>

#include "base/quantity.h"
#include "study/quantities.h"

namespace heron::study::iv {
namespace {

/// The middle of a place by a parabola through its samples, and what their scatter leaves of doubt in it.
struct Middle {
  double value = 0, u = 0;
};
Middle middle_of(const double (&powers)[5], const double (&moments)[3], double squares) {
  const double n = powers[0], mean = moments[0] / n;
  const double scatter = std::sqrt(std::max(0.0, squares / n - mean * mean));
  if (n < 6) return {mean, n > 1 ? scatter / std::sqrt(n - 1) : scatter};
  Eigen::Matrix3d a;
  for (int r = 0; r < 3; ++r)
    for (int c = 0; c < 3; ++c) a(r, c) = powers[r + c];
  const Eigen::Vector3d b(moments[0] - n * mean, moments[1] - powers[1] * mean, moments[2] - powers[2] * mean);
  const Eigen::Matrix3d inverse = a.inverse();
  const Eigen::Vector3d fit = inverse * b;
  if (!fit.allFinite()) return {mean, scatter / std::sqrt(n)};
  const double about_mean = squares - n * mean * mean, left = std::max(0.0, about_mean - fit.dot(b));
  return {mean + fit[0], std::sqrt(left / (n - 3) * std::max(0.0, inverse(0, 0)))};
}

}  // namespace

Result<void> RampReduction::begin(const Point& point) {
  auto ramp = ramp_from_json(point.setting.json().value("ramp", nlohmann::json::object()));
  if (!ramp) return tl::unexpected(ramp.error());
  ramp_ = std::move(*ramp);
  setting_ = point.setting.json();
  try {
    start_ = setting_.at("from");
    stop_ = setting_.at("to");
    for (const char* role : {"voltage", "current"}) (void)setting_.at("roles").at(role).get<std::string>();
  } catch (const nlohmann::json::exception& e) {
    return fail(Fault::input, "Point {} cannot be read: {}", point.index + 1, e.what());
  }
  bins_.resize(std::size_t(ramp_.bins()));
  return {};
}

/// What the inputs' ranges and the ratings of what they sense have seen.
void RampReduction::note_use(const Point& point, const Record& record, const Quantities& rows) {
  const auto& sensed = **point.setting.sensed();
  const auto looked_for = setting_.value("looked_for", std::vector<std::string>{});
  const auto ratings = setting_.value("ratings", nlohmann::json::object());
  for (std::size_t c = 0; c < record.channels.size(); ++c) {
    const auto& channel = record.channels[c];
    if (ranges_.size() <= c) {
      const auto& sensing = sensed.of(channel.role);
      const bool found = std::find(looked_for.begin(), looked_for.end(), channel.role) != looked_for.end();
      ranges_.push_back({channel.role, "V", channel.range.value_or(0), 0, !found, "hookup." + channel.role + ".range"});
      const auto own = ratings.value(channel.role, nlohmann::json::object());
      for (const auto& r : rated())
        if (r.unit == sensing.unit && own.contains(r.key))
          ratings_.push_back({{channel.role, sensing.unit, own.value(r.key, 0.0), 0, r.reversed}, c, &r, own});
    }
    for (const double x : channel.values()) ranges_[c].highest = std::max(ranges_[c].highest, std::abs(x));
    for (auto& watched : ratings_)
      if (watched.channel == c)
        for (const double x : rows.rows[c])
          watched.use.highest = std::max(watched.use.highest, watched.rated->highest(x, x, watched.own));
  }
}

Result<void> RampReduction::add(const Point& point) {
  if (bins_.empty())
    if (auto ok = begin(point); !ok) return ok;
  const std::string voltage = setting_["roles"]["voltage"], current = setting_["roles"]["current"];
  const double began = point.setting.json().value("start", 0.0);
  for (const auto& record : point.records) {
    if (!(record.sample_rate > 0)) return fail(Fault::input, "Point {} does not say its rate.", point.index + 1);
    const auto rows = quantities_of(point, record);
    if (!rows) return tl::unexpected(rows.error());
    const auto *v = rows->find(voltage), *i = rows->find(current);
    if (!v || !i) return fail(Fault::input, "Point {} lacks its voltage or its current.", point.index + 1);
    note_use(point, record, *rows);
    const auto& sensed = **point.setting.sensed();
    // What an error of each input's gain and zero and of each part would do to both.
    std::vector<Moved> moves;
    for (const auto& channel : record.channels) {
      const auto& sensing = sensed.of(channel.role);
      moves.push_back({channel.role, 1 + std::hypot(channel.u_gain, sensing.u_factor), 0});
      moves.push_back({channel.role, 1, std::hypot(channel.u_offset, sensing.u_zero)});
    }
    const auto parts_u = point.setting.json().value("parts_u", nlohmann::json::object());
    for (const auto& [name, u] : parts_u.items())
      if (u.is_number()) moves.push_back({name, 1 + u.get<double>(), 0});
    std::vector<Quantities> moved;
    for (const auto& move : moves) {
      auto one = quantities_of(point, record, move);
      if (!one) return tl::unexpected(one.error());
      moved.push_back(std::move(*one));
    }
    std::vector<std::pair<const std::vector<double>*, const std::vector<double>*>> moved_rows;
    for (const auto& one : moved) moved_rows.emplace_back(one.find(voltage), one.find(current));
    for (std::size_t k = 0; k < v->size(); ++k) {
      const auto place = ramp_.place(began + (double(k) + 0.5) / record.sample_rate);
      if (!place) continue;
      auto& bin =
          bins_[(std::size_t(place->curve) * ramp_.along.size() + std::size_t(place->leg)) * std::size_t(ramp_.points) +
                std::size_t(place->point)];
      double power = 1;
      for (int n = 0; n < 5; ++n) {
        bin.powers[n] += power;
        if (n < 3) {
          bin.voltage[n] += (*v)[k] * power;
          bin.current[n] += (*i)[k] * power;
        }
        power *= place->off;
      }
      bin.voltage_squares += (*v)[k] * (*v)[k];
      bin.current_squares += (*i)[k] * (*i)[k];
      bin.voltage_moved.resize(moves.size());
      bin.current_moved.resize(moves.size());
      for (std::size_t m = 0; m < moves.size(); ++m) {
        bin.voltage_moved[m] += (*moved_rows[m].first)[k] - (*v)[k];
        bin.current_moved[m] += (*moved_rows[m].second)[k] - (*i)[k];
      }
      for (std::size_t c = 0; c < record.channels.size(); ++c) {
        const auto& channel = record.channels[c];
        if (!channel.counted()) continue;
        const int count = channel.counts[k];
        bin.clipped = bin.clipped || count <= channel.lowest_count || count >= channel.highest_count;
      }
    }
  }
  return {};
}

void RampReduction::put(Family& out) const {
  if (bins_.empty()) return;
  out.measured = out.ramped = true;
  out.step_name = setting_.value("step_name", out.step_name);
  out.step_unit = setting_.value("step_unit", out.step_unit);
  out.looked_for_ranges = setting_.contains("looked_for") && !setting_["looked_for"].empty();
  out.channels = {{"voltage", "V"}, {"current", "A"}};
  out.ranges = ranges_;
  if (setting_.contains("temperature")) out.temperature = setting_.value("temperature", 25.0) + 273.15;
  const auto sensings = setting_.value("sensing", nlohmann::json::object());
  for (const auto& [name, sensing] : sensings.items())
    if (!sensing.value("zeroed", true)) out.unzeroed.push_back(name);
  const bool stepped = setting_.contains("step_name");
  std::map<double, Curve> by_step;
  const auto legs = ramp_.along.size(), points = std::size_t(ramp_.points);
  for (std::size_t b = 0; b < bins_.size(); ++b) {
    const auto& bin = bins_[b];
    if (!(bin.powers[0] >= 1)) continue;
    const std::size_t curve = b / (legs * points), leg = b / points % legs, at = b % points;
    const auto v = middle_of(bin.powers, bin.voltage, bin.voltage_squares),
               i = middle_of(bin.powers, bin.current, bin.current_squares);
    std::vector<SharedError> shared;
    for (std::size_t m = 0; m < bin.voltage_moved.size(); ++m)
      shared.push_back({int(m) + 1, bin.voltage_moved[m] / bin.powers[0], bin.current_moved[m] / bin.powers[0]});
    const double v_shared = shared_of(shared, false), i_shared = shared_of(shared, true);
    const double share = (double(at) + 0.5) / double(points), along = ramp_.along[leg] ? share : 1 - share;
    auto& into = by_step[ramp_.steps[curve]];
    if (stepped) into.step = ramp_.steps[curve];
    into.points.push_back(
        {.index = int(b),
         .voltage = v.value,
         .current = i.value,
         .time = double(curve) * ramp_.curve() + ramp_.legs_begin() + (double(leg) + share) * ramp_.leg,
         .programmed = start_ + (stop_ - start_) * along,
         .u_voltage = Doubtful{v.u, v_shared},
         .u_current = Doubtful{i.u, i_shared},
         .shared = std::move(shared),
         .clipped = bin.clipped,
         .cycle = int(leg / 2),
         .all = {v.value, i.value}});
  }
  for (auto& [step, curve] : by_step) out.curves.push_back(std::move(curve));
  for (const auto& watched : ratings_) out.ratings.push_back(watched.use);
}

}  // namespace heron::study::iv
