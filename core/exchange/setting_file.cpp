#include "exchange/setting_file.h"

#include <cmath>
#include <vector>

#include "base/words.h"
#include "exchange/curves.h"
#include "exchange/touchstone.h"

namespace heron::exchange {
namespace {

struct Gain {
  double frequency = 0, db = 0;
};

/// Places that a straight line over lg f joins to within what may be off: from each to the furthest that it reaches.
std::vector<Gain> thinned(const std::vector<Gain>& all) {
  constexpr double kOff = 0.01;  // dB
  const auto straight = [&](std::size_t from, std::size_t to) {
    const double a = std::log(all[from].frequency), slope = (all[to].db - all[from].db) / (std::log(all[to].frequency) - a);
    for (auto k = from + 1; k < to; ++k)
      if (std::abs(all[from].db + slope * (std::log(all[k].frequency) - a) - all[k].db) > kOff) return false;
    return true;
  };
  std::vector<Gain> out = {all.front()};
  for (std::size_t at = 0; at + 1 < all.size();) {
    auto next = at + 1;
    while (next + 1 < all.size() && straight(at, next + 1)) ++next;
    out.push_back(all[next]);
    at = next;
  }
  return out;
}

}  // namespace

Result<std::string> kept_setting(const study::Kind& kind, std::string_view key, std::string_view text) {
  constexpr std::string_view kFile = "file ";
  const auto typed = trimmed(text);
  if (kind.network_setting.empty() || !key.starts_with(kind.network_setting) || !typed.starts_with(kFile)) return std::string(text);
  auto path = trimmed(std::string_view(typed).substr(kFile.size()));
  std::string share;
  if (path.ends_with('%')) {
    const auto number = path.find_last_of(' ', path.find_last_not_of(" %"));
    if (number == std::string::npos) return fail(Fault::usage, "{}: the name of a network file is wanted, such as file filter.s2p 2 %.", key);
    share = path.substr(number);
    path = trimmed(std::string_view(path).substr(0, number));
  }
  const auto read = read_file(path);
  if (!read) return tl::unexpected(read.error());
  const auto data = read_touchstone(*read, path);
  if (!data) return tl::unexpected(data.error());
  if (data->ports != 2 || data->kind != 'S')
    return fail(Fault::input, "{}: it holds {} parameters of {} ports; S of two ports is wanted, of which S21 is the gain.", path, data->kind, data->ports);
  std::vector<Gain> gains;
  for (std::size_t k = 0; k < data->frequency.size(); ++k) {
    const double size = std::abs(data->elements[k][1]);
    if (data->frequency[k] > 0 && size > 0) gains.push_back({data->frequency[k], 20 * std::log10(size)});
  }
  if (gains.empty()) return fail(Fault::input, "{}: nothing passes it at any frequency above zero.", path);
  std::string pairs;
  for (const auto& one : thinned(gains)) pairs += fmt::format("{}{:.9g} Hz {:.6g} dB", pairs.empty() ? "" : ", ", one.frequency, one.db);
  return "points " + pairs + share;
}

}  // namespace heron::exchange
