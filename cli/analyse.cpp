#include <algorithm>
#include <filesystem>
#include <iostream>

#include "base/quantity.h"
#include "commands.h"
#include "exchange/curves.h"
#include "exchange/setting_file.h"
#include "exchange/writers.h"
#include "judge/claim.h"

namespace heron::cli {

using nlohmann::json;

std::string padded(const std::string& text, std::size_t width) {
  const auto characters =
      std::size_t(std::count_if(text.begin(), text.end(), [](char c) { return (c & 0xC0) != 0x80; }));
  return text + std::string(width > characters ? width - characters : 0, ' ');
}

Result<std::pair<std::string, std::string>> key_and_value(const std::string& text, const std::string& option) {
  const auto equals = text.find('=');
  if (equals == std::string::npos || equals == 0 || equals + 1 == text.size())
    return fail(Fault::usage, "{} wants KEY=VALUE, not \"{}\".", option, text);
  return std::pair{text.substr(0, equals), text.substr(equals + 1)};
}

namespace {

/// "0.01", or "1/100" as people write a shunt's or a divider's.
Result<double> ratio(const std::string& text) {
  const auto stroke = text.find('/');
  if (stroke == std::string::npos) return parse_value(text, "1");
  const auto above = parse_value(text.substr(0, stroke), "1"), below = parse_value(text.substr(stroke + 1), "1");
  if (!above) return above;
  if (!below) return below;
  if (*below == 0) return fail(Fault::usage, "\"{}\" divides by zero.", text);
  return *above / *below;
}

}  // namespace

Result<exchange::ColumnChoice> column_choice(const std::vector<std::string>& columns,
                                             const std::vector<std::string>& scales) {
  exchange::ColumnChoice choice;
  for (const auto& text : columns) {
    const auto pair = key_and_value(text, "--column");
    if (!pair) return tl::unexpected(pair.error());
    if (!choice.column.insert(*pair).second)
      return fail(Fault::usage, "--column: the role {} is given twice.", pair->first);
  }
  for (const auto& text : scales) {
    const auto pair = key_and_value(text, "--scale");
    if (!pair) return tl::unexpected(pair.error());
    const auto factor = ratio(pair->second);
    if (!factor) return fail(Fault::usage, "--scale {}: {}", text, factor.error().message);
    if (*factor == 0) return fail(Fault::usage, "--scale {}: a factor other than zero is wanted.", text);
    if (!choice.scale.emplace(pair->first, *factor).second)
      return fail(Fault::usage, "--scale: the role {} is given twice.", pair->first);
  }
  return choice;
}

namespace {

struct Judged {
  std::string text;
  judge::Judgement judgement;
  json as_json;
};

void print_table(const study::Analysis& analysis, const std::vector<Judged>& claims) {
  for (const auto& f : analysis.reading.figures) {
    const auto text = format_with_uncertainty(f.value, f.u, f.unit);
    std::cout << padded(f.key, 26) << " " << padded(text.number, 14) << padded(text.unit, 8)
              << (text.uncertainty.empty() ? "" : "\u00b1 " + text.uncertainty) << "\n";
  }
  for (const auto& a : analysis.reading.absent) std::cout << padded(a.key, 26) << "\u2013  " << a.reason << "\n";
  for (const auto& d : analysis.reading.doubts)
    std::cout << study::severity_text(d.severity) << ": " << d.text << " " << d.remedy << "\n";
  for (const auto& c : claims) {
    std::cout << padded(std::string(judge::verdict_words(c.judgement.verdict)), 14) << c.text;
    if (!c.judgement.caveat.empty()) std::cout << "  (" << c.judgement.caveat << ")";
    if (!c.judgement.reason.empty()) std::cout << " (" << c.judgement.reason << ")";
    std::cout << "\n";
  }
}

}  // namespace

Result<int> analyse(const AnalyseOptions& options) {
  const auto* kind = study::find_kind(options.kind);
  if (!kind) {
    std::string names;
    for (const auto* k : study::kinds()) names += (names.empty() ? "" : ", ") + std::string(k->name);
    return fail(Fault::usage, "there is no kind of study \"{}\" here; there is {}.", options.kind, names);
  }
  const auto choice = column_choice(options.columns, options.scales);
  if (!choice) return tl::unexpected(choice.error());
  study::SettingsText settings;
  std::string parameter;
  for (const auto& text : options.settings) {
    const auto pair = key_and_value(text, "--set");
    if (!pair) return tl::unexpected(pair.error());
    if (pair->first == "parameter") {
      // Which of a network file's curves is meant; nothing that the analysis knows.
      parameter = pair->second;
      continue;
    }
    const auto kept = exchange::kept_setting(*kind, pair->first, pair->second);
    if (!kept) return tl::unexpected(kept.error());
    if (auto ok = kind->check_setting(pair->first, *kept); !ok) return tl::unexpected(ok.error());
    settings[pair->first] = *kept;
  }
  std::vector<std::string> asked = options.figures;
  for (const auto& key : asked)
    if (auto ok = kind->check_figure(key); !ok) return tl::unexpected(ok.error());

  judge::Claims claims;
  if (!options.claims.empty()) {
    const auto text = exchange::read_file(options.claims);
    if (!text) return tl::unexpected(text.error());
    auto read = judge::read_claims(*text, options.claims, *kind);
    if (!read) return tl::unexpected(read.error());
    claims = std::move(*read);
    for (const auto& claim : claims.claims) {
      // There are no part values beside a file: what is expected must stand by itself.
      const judge::PartValues none;
      if (auto ok = judge::check(claim, *kind, &none); !ok)
        return fail(Fault::input, "{}: {}", options.claims, ok.error().message);
      asked.push_back(claim.figure);
    }
    for (const auto& mask : claims.masks) {
      if (auto ok = judge::check(mask, *kind); !ok) return fail(Fault::input, "{}: {}", options.claims, ok.error().message);
      if (!mask.after.empty()) asked.push_back(mask.after);
    }
  }
  if (options.inputs.size() != 1 && !(kind->files_are_points && !options.inputs.empty()))
    return fail(Fault::usage, "figures are read from one file; {} are given.", options.inputs.size());
  const bool impedance = settings.contains("quantity") && settings.at("quantity") == "impedance";
  std::vector<study::Point> points;
  for (const auto& input : options.inputs) {
    auto curves = exchange::read_curves(
        input, *kind, {.columns = *choice,
                         .parameter = parameter,
                         .several = exchange::Several::steps,
                         .impedance = impedance});
    if (!curves) return tl::unexpected(curves.error());
    auto& record = curves->front().record;
    if (record.sample_rate > 0 || record.find("time"))
      for (const auto key : kind->times_said)
        if (settings.contains(std::string(key)))
          return fail(Fault::usage, "{}: its samples have times of their own, so that {} would have no effect; leave it out.", input, key);
    points.push_back({.index = int(points.size()), .setting = json::object(), .records = {}});
    points.back().records.push_back(std::move(record));
    // Of several, each by itself first: an error names its file.
    if (options.inputs.size() > 1)
      if (const auto alone = kind->analyse({points.back()}, settings, {}); !alone) return fail(alone.error().fault, "{}: {}", input, alone.error().message);
  }
  const auto& input = options.inputs.front();
  const auto analysis = kind->analyse(points, settings, asked);
  if (!analysis) return fail(analysis.error().fault, "{}: {}", input, analysis.error().message);

  std::vector<Judged> judged;
  for (const auto& claim : claims.claims) {
    const auto j = judge::judge(claim, analysis->reading, {});
    judged.push_back({claim.text, j, judge::to_json(claim, j)});
  }
  for (const auto& mask : claims.masks) {
    const auto j = judge::judge(mask, *analysis);
    judged.push_back({mask.text, j, judge::to_json(mask, j)});
  }
  bool failed = false;
  for (const auto& j : judged) failed = failed || j.judgement.verdict == judge::Verdict::fails;
  if (options.json) {
    json list = json::array();
    for (const auto& j : judged) list.push_back(j.as_json);
    const json out = {{"kind", kind->name},
                      {"inputs", options.inputs},
                      {"settings", analysis->settings},
                      {"figures", exchange::figures_json(analysis->reading)},
                      {"absent", exchange::absent_json(analysis->reading)},
                      {"doubts", exchange::doubts_json(analysis->reading)},
                      {"claims", list}};
    std::cout << out.dump(2, ' ', false, json::error_handler_t::replace) << "\n";
  } else {
    print_table(*analysis, judged);
  }
  return failed ? 1 : 0;
}

}  // namespace heron::cli
