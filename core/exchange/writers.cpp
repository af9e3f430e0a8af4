#include "exchange/writers.h"

#include <algorithm>
#include <array>
#include <cctype>
#include <cmath>
#include <complex>
#include <numbers>
#include <set>

#include "exchange/beside.h"
#include "exchange/rows.h"
#include "exchange/touchstone.h"
#include "study/shared_error.h"
#include "study/trace.h"

namespace heron::exchange {

using nlohmann::json;

namespace {

/// A family's curves beside each other, each with places of its own; a shorter one leaves its cells empty.
std::string family_csv(const study::Columns& curve) {
  std::string out;
  std::size_t rows = 0;
  for (const auto& c : curve.columns) {
    const auto rest = c.name.find(' ');
    out += fmt::format("{}{}{} ({}),{} ({})", out.empty() ? "" : ",", curve.x_name,
                       rest == std::string::npos ? "" : c.name.substr(rest), curve.x_unit, c.name, c.unit);
    if (!c.u.empty()) out += fmt::format(",u_{} ({})", c.name, c.unit);
    rows = std::max(rows, c.y.size());
  }
  out += "\n";
  for (std::size_t i = 0; i < rows; ++i) {
    bool first = true;
    for (const auto& c : curve.columns) {
      if (!first) out += ",";
      first = false;
      const bool there = i < c.y.size();
      out += there ? fmt::format("{},{}", curve.x_of(c)[i], c.y[i]) : ",";
      if (!c.u.empty()) out += there ? fmt::format(",{}", c.u[i]) : ",";
    }
    out += "\n";
  }
  return out;
}

bool has_own_places(const study::Columns& curve) {
  return std::any_of(curve.columns.begin(), curve.columns.end(), [](const auto& c) { return !c.x.empty(); });
}

}  // namespace

namespace {

/// Every column of a curve with one x, uncertainties and what of them points share included.
std::vector<std::pair<std::string, const std::vector<double>*>> all_columns(const study::Columns& curve, bool units) {
  std::vector<std::pair<std::string, const std::vector<double>*>> out;
  const auto put = [&](const std::string& name, const std::string& unit, const std::vector<double>& row) {
    if (!row.empty()) out.emplace_back(units ? fmt::format("{} ({})", name, unit) : name, &row);
  };
  put(curve.x_name, curve.x_unit, curve.x);
  for (const auto& c : curve.columns) put(c.name, c.unit, c.y);
  put("u_" + curve.x_name, curve.x_unit, curve.x_u);
  for (const auto& c : curve.columns) put("u_" + c.name, c.unit, c.u);
  std::set<int> sources;
  for (const auto& [source, row] : curve.x_shared) sources.insert(source);
  for (const auto& c : curve.columns)
    for (const auto& [source, row] : c.shared) sources.insert(source);
  int number = 0;
  for (const int source : sources) {
    ++number;
    if (const auto it = curve.x_shared.find(source); it != curve.x_shared.end())
      put(study::shared_role(curve.x_name, number), curve.x_unit, it->second);
    for (const auto& c : curve.columns)
      if (const auto it = c.shared.find(source); it != c.shared.end())
        put(study::shared_role(c.name, number), c.unit, it->second);
  }
  return out;
}

}  // namespace

std::string curve_csv(const study::Columns& curve) {
  if (has_own_places(curve)) return family_csv(curve);
  const auto columns = all_columns(curve, true);
  std::string out;
  for (const auto& [name, row] : columns) out += (out.empty() ? "" : ",") + name;
  out += "\n";
  for (std::size_t i = 0; i < curve.x.size(); ++i) {
    bool first = true;
    for (const auto& [name, row] : columns) {
      out += fmt::format("{}{}", first ? "" : ",", (*row)[i]);
      first = false;
    }
    out += "\n";
  }
  return out;
}

namespace {

/// Hands the lines of a record to `put(text, rows, of_rows)`, some at a time: so many rows are through with them.
template <class Put>
Result<void> each_line(const study::Record& record, std::stop_token stop, Put put) {
  const bool timed = record.sample_rate > 0;
  std::string text = timed ? "time (s)" : "row";
  std::size_t rows = 0;
  for (const auto& c : record.channels) {
    text += ',' + column_title(c.role, c.unit);
    rows = std::max(rows, c.size());
  }
  text += "\n";
  put(text, std::size_t(0), rows);
  std::vector<study::TracePtr> traces;
  for (const auto& c : record.channels) traces.push_back(study::trace_of(c, c.unit, {}, 0, 1));
  std::vector<std::vector<double>> columns(traces.size());
  for (std::size_t first = 0; first < rows; first += study::kStretch) {
    if (stop.stop_requested()) return fail(Fault::stopped, "Stopped.");
    const auto last = std::min(first + study::kStretch, rows);
    for (std::size_t c = 0; c < columns.size(); ++c) {
      columns[c].resize(std::min(last, std::max(first, traces[c]->size())) - first);
      if (columns[c].empty()) continue;
      if (auto ok = traces[c]->read(first, columns[c]); !ok) return ok;
    }
    text.clear();
    if (timed)
      append_rows(text, first, last, [&](std::size_t i) { return double(i) / record.sample_rate; }, columns);
    else
      append_rows(text, first, last, [](std::size_t i) { return i + 1; }, columns);
    put(text, last, rows);
  }
  return {};
}

}  // namespace

std::string record_csv(const study::Record& record) {
  std::string out;
  // What cannot be read is left out; who must know of it writes the file.
  (void)each_line(record, {}, [&](const std::string& lines, std::size_t, std::size_t) { out += lines; });
  return out;
}

Result<void> write_record_csv(const std::string& path, const study::Record& record, std::stop_token stop, const Share& told) {
  return write_beside(path, [&](std::ostream& out) {
    return each_line(record, stop, [&](const std::string& lines, std::size_t rows, std::size_t of) {
      out.write(lines.data(), std::streamsize(lines.size()));
      if (told && of > 0) told(double(rows) / double(of));
    });
  });
}

json figures_json(const study::Reading& reading) {
  json out = json::array();
  for (const auto& f : reading.figures) {
    json one = {{"key", f.key}, {"value", f.value}, {"unit", f.unit}, {"label", f.label}};
    if (f.u) one["uncertainty"] = *f.u;
    out.push_back(std::move(one));
  }
  return out;
}

json absent_json(const study::Reading& reading) {
  json out = json::array();
  for (const auto& a : reading.absent) out.push_back({{"key", a.key}, {"reason", a.reason}});
  return out;
}

json doubts_json(const study::Reading& reading) {
  json out = json::array();
  for (const auto& d : reading.doubts)
    out.push_back(
        {{"key", d.key}, {"severity", study::severity_text(d.severity)}, {"text", d.text}, {"remedy", d.remedy}});
  return out;
}

json curve_json(const study::Columns& curve) {
  if (has_own_places(curve)) {
    // One curve after another, told apart by the step.
    std::vector<double> x, y, step;
    for (const auto& c : curve.columns) {
      x.insert(x.end(), curve.x_of(c).begin(), curve.x_of(c).end());
      y.insert(y.end(), c.y.begin(), c.y.end());
      step.insert(step.end(), c.y.size(), c.step.value_or(0));
    }
    const auto name = curve.columns.front().name.substr(0, curve.columns.front().name.find(' '));
    return {{curve.x_name, x}, {name, y}, {"step", step}};
  }
  json out = json::object();
  for (const auto& [name, row] : all_columns(curve, false)) out[name] = *row;
  return out;
}

Result<void> write_file(const std::string& path, std::string_view content) {
  return write_beside(path, [&](std::ostream& out) -> Result<void> {
    out.write(content.data(), std::streamsize(content.size()));
    return {};
  });
}

std::string file_name(const std::string& text) {
  std::string out;
  for (const unsigned char c : text) {
    if (std::isalnum(c) || c == '-' || c == '_')
      out += char(std::tolower(c));
    else if (!out.empty() && out.back() != '-')
      out += '-';
  }
  while (!out.empty() && out.back() == '-') out.pop_back();
  return out.empty() ? "unnamed" : out.substr(0, 80);
}

}  // namespace heron::exchange
