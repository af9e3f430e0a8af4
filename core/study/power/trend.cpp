#include "study/power/trend.h"

#include <algorithm>

namespace heron::study::power {

namespace {

constexpr std::pair<Reads, std::string_view> kReads[] = {{Reads::mean, ".mean"}, {Reads::rms, ".rms"}, {Reads::low, ".low"}, {Reads::high, ".high"}, {Reads::itself, ""}};

TrendColumn column_of(const Channel& channel) {
  TrendColumn out{channel.role, channel.unit, {}};
  for (const auto& [reads, end] : kReads)
    if (channel.role.ends_with(end)) {
      out.quantity = channel.role.substr(0, channel.role.size() - end.size());
      out.reads = reads;
      break;
    }
  return out;
}

}  // namespace

std::string_view reads_text(Reads reads) {
  for (const auto& [one, end] : kReads)
    if (one == reads) return end;
  return "";
}

const TrendColumn* Trend::find(std::string_view quantity, Reads reads) const {
  const auto it = std::find_if(columns.begin(), columns.end(), [&](const TrendColumn& c) { return c.quantity == quantity && c.reads == reads; });
  return it == columns.end() ? nullptr : &*it;
}

const TrendColumn* Trend::find(std::string_view name) const {
  const auto it = std::find_if(columns.begin(), columns.end(), [&](const TrendColumn& c) { return c.name == name; });
  return it == columns.end() ? nullptr : &*it;
}

nlohmann::json to_json(const LogEntry& e) {
  nlohmann::json out = {{"from", e.from}, {"to", e.to}, {"watch", e.watch}, {"text", e.text}, {"extreme", e.extreme}, {"unit", e.unit}};
  if (e.point) out["point"] = *e.point;
  return out;
}

Result<void> Trend::add(const Record& readings, const nlohmann::json& setting, int index) {
  const auto* times = readings.find("time");
  if (!times) return fail(Fault::input, "Point {}: its readings have no times.", index + 1);
  const auto more = times->values();
  if (!more.empty() && !time.empty() && !(more.front() > time.back())) return fail(Fault::input, "Point {}: its readings go back in time.", index + 1);
  std::size_t place = 0;
  for (const auto& channel : readings.channels) {
    if (&channel == times) continue;
    if (channel.size() != more.size()) return fail(Fault::input, "Point {}: its readings are not of one length.", index + 1);
    if (time.empty() && columns.size() <= place) columns.push_back(column_of(channel));
    if (place >= columns.size() || columns[place].name != channel.role) return fail(Fault::input, "Point {}: its readings are not those of the one before.", index + 1);
    const auto values = channel.values();
    auto& into = columns[place++].values;
    into.insert(into.end(), values.begin(), values.end());
  }
  time.insert(time.end(), more.begin(), more.end());
  if (const auto entries = setting.find(kLog); entries != setting.end() && entries->is_array())
    for (const auto& e : *entries) {
      if (!e.is_object()) continue;
      LogEntry entry{e.value("from", 0.0), e.value("to", 0.0), e.value("watch", std::string()), e.value("text", std::string()), e.value("extreme", 0.0), e.value("unit", std::string())};
      if (e.contains("point")) entry.point = e.value("point", 0);
      log.push_back(std::move(entry));
    }
  return {};
}

}  // namespace heron::study::power
