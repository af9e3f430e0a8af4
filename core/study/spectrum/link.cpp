#include "study/spectrum/link.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/quantity.h"
#include "base/words.h"

namespace heron::study::spectrum {
namespace {

struct LinkForm {
  Link::Form form;
  std::string_view word, unit;  ///< unit of what follows; of points that of the first of a pair
};
constexpr LinkForm kLinkForms[] = {{Link::Form::corner, "corner", "Hz"}, {Link::Form::low_corner, "low_corner", "Hz"}, {Link::Form::integrator, "integrator", "s"}, {Link::Form::points, "points", "Hz"}};
constexpr const char* kExamples = "corner 100 kHz 5 %, integrator 1 ms, or points 1 kHz 0 dB, 10 kHz -3.1 dB";

/// Without spaces about it; the text is looked at, not copied.
std::string_view bare(std::string_view text) {
  const auto first = text.find_first_not_of(' ');
  return first == std::string_view::npos ? std::string_view() : text.substr(first, text.find_last_not_of(' ') - first + 1);
}

/// The text without its last word, and that.
std::pair<std::string_view, std::string_view> last_word(std::string_view text) {
  text = bare(text);
  const auto space = text.rfind(' ');
  return space == std::string_view::npos ? std::pair{std::string_view(), text} : std::pair{bare(text.substr(0, space)), text.substr(space + 1)};
}

/// A share in per cent at the end is taken off.
Result<double> take_share(std::string_view key, std::string_view& text) {
  if (!text.ends_with('%')) return 0.0;
  auto [rest, number] = last_word(text.substr(0, text.size() - 1));
  text = rest;
  const auto share = parse_value(number, "%");
  if (!share) return fail(Fault::usage, "{}: {}", key, share.error().message);
  if (!(*share >= 0 && *share < 100)) return fail(Fault::usage, "{}: its uncertainty is a share from 0 to 100 %.", key);
  return *share / 100;
}

Result<std::vector<std::pair<double, double>>> take_points(std::string_view key, std::string_view text) {
  std::vector<std::pair<double, double>> out;
  for (const std::string& pair : pieces(text)) {
    auto [frequency, level] = last_word(pair);
    // "0 dB" is written apart or together.
    if (level == "dB") {
      const auto [before, number] = last_word(frequency);
      frequency = before;
      level = number;
    }
    const auto f = parse_value(frequency, "Hz"), db = parse_value(level, "dB");
    if (!f || !db) return fail(Fault::usage, "{}: a frequency and its gain in dB are wanted in \"{}\", such as 10 kHz -3.1 dB.", key, bare(pair));
    if (!(*f > 0) || !std::isfinite(*f) || !std::isfinite(*db) || (!out.empty() && !(*f > out.back().first)))
      return fail(Fault::usage, "{}: its frequencies must lie above zero and rise.", key);
    out.emplace_back(*f, *db);
  }
  if (out.empty()) return fail(Fault::usage, "{}: no points follow.", key);
  return out;
}

}  // namespace

double Link::power_gain(double frequency) const {
  switch (form) {
    case Form::corner: return 1 / (1 + std::pow(frequency / of, 2));
    case Form::low_corner: return 1 / (1 + std::pow(of / frequency, 2));
    case Form::integrator: return std::pow(2 * std::numbers::pi * frequency * of, -2);
    case Form::points: break;
  }
  const auto gain_of = [](double db) { return std::pow(10, db / 10); };
  const auto above = std::lower_bound(points.begin(), points.end(), frequency, [](const auto& p, double f) { return p.first < f; });
  if (above == points.begin()) return gain_of(points.front().second);
  if (above == points.end()) return gain_of(points.back().second);
  const auto below = above - 1;
  return gain_of(below->second + (above->second - below->second) * std::log(frequency / below->first) / std::log(above->first / below->first));
}

double Link::u_power_gain(double frequency) const {
  if (!has_corner()) return 2 * u;
  const double x2 = std::pow(form == Form::corner ? frequency / of : of / frequency, 2);
  return 2 * u * x2 / (1 + x2);
}

double power_gain(const std::vector<Link>& links, double frequency) {
  double out = 1;
  for (const auto& link : links) out *= link.power_gain(frequency);
  return out;
}

double u_power_gain(const std::vector<Link>& links, double frequency) {
  double out = 0;
  for (const auto& link : links) out = std::hypot(out, link.u_power_gain(frequency));
  return out;
}

Result<Link> link_from_text(std::string_view key, std::string_view text) {
  text = bare(text);
  const auto space = text.find(' ');
  const auto word = text.substr(0, space);
  const auto form = std::find_if(std::begin(kLinkForms), std::end(kLinkForms), [&](const LinkForm& f) { return f.word == word; });
  if (form == std::end(kLinkForms) || space == std::string_view::npos) return fail(Fault::usage, "{}: what the link does is wanted, such as {}.", key, kExamples);
  Link out{.form = form->form};
  auto rest = bare(text.substr(space));
  const auto share = take_share(key, rest);
  if (!share) return tl::unexpected(share.error());
  out.u = *share;
  if (out.form == Link::Form::points) {
    auto points = take_points(key, rest);
    if (!points) return tl::unexpected(points.error());
    out.points = std::move(*points);
    return out;
  }
  const auto value = parse_value(rest, form->unit);
  if (!value) return fail(Fault::usage, "{}: {}", key, value.error().message);
  if (!(*value > 0) || !std::isfinite(*value)) return fail(Fault::usage, "{}: must be above zero.", key);
  out.of = *value;
  return out;
}

std::string link_text(const Link& link) {
  const auto form = std::find_if(std::begin(kLinkForms), std::end(kLinkForms), [&](const LinkForm& f) { return f.form == link.form; });
  std::string out(form->word);
  if (link.form == Link::Form::points)
    for (const auto& [f, db] : link.points) out += fmt::format("{} {:.12g} Hz {:.12g} dB", &f == &link.points.front().first ? "" : ",", f, db);
  else
    out += fmt::format(" {:.12g} {}", link.of, form->unit);
  if (link.u > 0) out += fmt::format(" {:.12g} %", 100 * link.u);
  return out;
}

}  // namespace heron::study::spectrum
