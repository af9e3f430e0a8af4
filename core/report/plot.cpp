#include "report/plot.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/quantity.h"
#include "base/round_step.h"
#include "report/markup.h"

namespace heron::report {

namespace {

// Text of 14 is still read where the plot is drawn 330 pixels wide.
constexpr double kWidth = Layout::width, kHeight = Layout::height, kLeft = 66, kRight = 12, kTop = 12, kBottom = 46;
constexpr std::size_t kPlaces = 600;

struct Span {
  double low = INFINITY, high = -INFINITY;
  void take(double v) {
    low = std::min(low, v);
    high = std::max(high, v);
  }
  bool empty() const { return !(low <= high); }
};

std::string number_text(double value, double step) {
  const int decimals = std::clamp(int(std::ceil(-std::log10(step) - 1e-9)), 0, 12);
  auto out = fmt::format("{:.{}f}", std::abs(value) < step * 1e-6 ? 0.0 : value, decimals);
  return out.starts_with('-') ? "\u2212" + out.substr(1) : out;
}

struct Tick {
  double at;
  std::string label;
};

struct Axis {
  double low, high;
  bool logarithmic = false;
  std::string title;
  std::vector<Tick> ticks;

  double share(double v) const { return logarithmic ? (std::log10(v) - std::log10(low)) / (std::log10(high) - std::log10(low)) : (v - low) / (high - low); }
};

std::string title_of(const std::string& name, const std::string& unit) {
  return unit.empty() || unit == "1" ? name : name.empty() ? unit : name + ", " + unit;
}

Axis linear_axis(Span span, const std::string& name, const std::string& unit, double steps, double room) {
  if (span.low == span.high) {
    const double about = span.low == 0 ? 1 : std::abs(span.low) * 1e-3;
    span.low -= about;
    span.high += about;
  }
  const double extra = room * (span.high - span.low);
  Axis out{.low = span.low - extra, .high = span.high + extra, .logarithmic = false, .title = {}, .ticks = {}};
  const auto scale = unit_scale(std::max(std::abs(span.low), std::abs(span.high)), unit);
  const double step = round_step((out.high - out.low) * scale.factor / steps);
  for (double k = std::ceil(out.low * scale.factor / step - 1e-9); k * step <= out.high * scale.factor * (1 + 1e-12) + step * 1e-9; ++k)
    out.ticks.push_back({k * step / scale.factor, number_text(k * step, step)});
  out.title = title_of(name, scale.unit);
  return out;
}

Axis log_axis(Span span, const std::string& name, const std::string& unit) {
  if (span.low == span.high) span = {span.low / 2, span.high * 2};
  Axis out{.low = span.low, .high = span.high, .logarithmic = true, .title = name, .ticks = {}};
  const int first = int(std::ceil(std::log10(span.low) - 1e-9)), last = int(std::floor(std::log10(span.high) + 1e-9));
  const int each = std::max(1, (last - first) / 5);
  const auto add = [&](double v) { out.ticks.push_back({v, format_quantity(v, unit, 2).plain()}); };
  if (last - first >= 1)
    for (int k = first; k <= last; k += each) add(std::pow(10, k));
  else
    for (int k = first - 1; k <= last; ++k)
      for (const double m : {1.0, 2.0, 5.0})
        if (m * std::pow(10, k) >= span.low * (1 - 1e-9) && m * std::pow(10, k) <= span.high * (1 + 1e-9)) add(m * std::pow(10, k));
  return out;
}

}  // namespace

std::pair<std::vector<double>, std::vector<double>> thinned(const std::vector<double>& x, const std::vector<double>& y, std::size_t most) {
  study::Columns one;
  one.columns.emplace_back();
  for (std::size_t k = 0; k < std::min(x.size(), y.size()); ++k)
    if (std::isfinite(x[k]) && std::isfinite(y[k])) {
      one.x.push_back(x[k]);
      one.columns.front().y.push_back(y[k]);
    }
  auto few = study::thinned(std::move(one), most);
  return {std::move(few.columns.front().x), std::move(few.columns.front().y)};
}

Layout lay_out(const Plot& plot) {
  Layout out{.left = kLeft, .top = kTop, .wide = kWidth - kLeft - kRight, .high = kHeight - kTop - kBottom};
  Span across, up;
  const auto placed = [&](double x, double y) { return std::isfinite(x) && std::isfinite(y) && (!plot.log_x || x > 0); };
  for (const auto& curve : plot.curves)
    for (std::size_t k = 0; k < std::min(curve.x.size(), curve.y.size()); ++k)
      if (placed(curve.x[k], curve.y[k])) {
        across.take(curve.x[k]);
        up.take(curve.y[k]);
      }
  if (across.empty()) return out;
  // Limits near the curves are seen; those far off do not squeeze them.
  const double tall = std::max(up.high - up.low, 1e-12 * std::abs(up.high));
  const Span curves = up;
  for (const auto& ground : plot.grounds)
    for (const auto& [x, y] : ground.line)
      if (y > curves.low - tall && y < curves.high + tall && x >= across.low && x <= across.high) up.take(y);
  const Axis h = plot.log_x ? log_axis(across, plot.x_name, plot.x_unit) : linear_axis(across, plot.x_name, plot.x_unit, 6, 0);
  const Axis v = linear_axis(up, plot.y_name, plot.y_unit, 6, 0.05);
  const auto px = [&](double x) { return kLeft + out.wide * h.share(x); };
  const auto py = [&](double y) { return std::clamp(kTop + out.high * (1 - v.share(y)), -kHeight, 2 * kHeight); };
  using Stands = Layout::Text::Stands;
  for (const auto& tick : h.ticks) {
    const double x = px(tick.at);
    if (x < kLeft - 0.5 || x > kLeft + out.wide + 0.5) continue;
    out.across.push_back(x);
    out.texts.push_back({x, kTop + out.high + 17, tick.label, Stands::middle});
  }
  for (const auto& tick : v.ticks) {
    const double y = py(tick.at);
    if (y < kTop - 0.5 || y > kTop + out.high + 0.5) continue;
    out.up.push_back(y);
    out.texts.push_back({kLeft - 7, y + 5, tick.label, Stands::end});
  }
  out.texts.push_back({kLeft + out.wide / 2, kHeight - 8, h.title, Stands::middle});
  out.texts.push_back({14, kTop + out.high / 2, v.title, Stands::upright});
  for (const auto& ground : plot.grounds) {
    Layout::Ground one{.edge = {}, .beyond = ground.above ? kTop : kTop + out.high};
    for (const auto& [x, y] : ground.line)
      if (placed(x, y)) one.edge.emplace_back(std::clamp(px(x), -kWidth, 2 * kWidth), py(y));
    if (!one.edge.empty()) out.grounds.push_back(std::move(one));
  }
  for (const auto& curve : plot.curves) {
    Layout::Curve one{.colour = curve.colour, .dashed = curve.dashed, .line = {}};
    const auto [xs, ys] = thinned(curve.x, curve.y, kPlaces);
    for (std::size_t k = 0; k < xs.size(); ++k)
      if (placed(xs[k], ys[k])) one.line.emplace_back(px(xs[k]), py(ys[k]));
    if (one.line.size() == 1) one.line.emplace_back(one.line.front().first + 0.1, one.line.front().second);
    if (!one.line.empty()) out.curves.push_back(std::move(one));
  }
  return out;
}

namespace {

std::string path_of(const Layout::Line& line) {
  std::string out;
  for (const auto& [x, y] : line) out += fmt::format("{}{:.1f} {:.1f}", out.empty() ? "M" : "L", x, y);
  return out;
}

}  // namespace

std::string svg(const Plot& plot, int number) {
  const auto drawn = lay_out(plot);
  if (drawn.curves.empty()) return {};
  const double bottom = drawn.top + drawn.high;
  std::string out = fmt::format(R"~(<svg class="plot" viewBox="0 0 {:g} {:g}" role="img" aria-label="{}" xmlns="http://www.w3.org/2000/svg">)~", kWidth, kHeight, escaped(plot.about));
  out += fmt::format(
      R"~(<defs><pattern id="ground{0}" width="7" height="7" patternUnits="userSpaceOnUse" patternTransform="rotate(45)"><path class="hatch" d="M0 0V7"/></pattern><clipPath id="inside{0}"><rect x="{1:g}" y="{2:g}" width="{3:g}" height="{4:g}"/></clipPath></defs>)~",
      number, drawn.left, drawn.top, drawn.wide, drawn.high);
  for (const double x : drawn.across) out += fmt::format(R"~(<path class="grid" d="M{:.1f} {:g}V{:g}"/>)~", x, drawn.top, bottom);
  for (const double y : drawn.up) out += fmt::format(R"~(<path class="grid" d="M{:g} {:.1f}H{:g}"/>)~", drawn.left, y, drawn.left + drawn.wide);
  for (const auto& text : drawn.texts) {
    if (text.stands == Layout::Text::Stands::upright)
      out += fmt::format(R"~(<text transform="translate({:g} {:g}) rotate(-90)" text-anchor="middle">{}</text>)~", text.x, text.y, escaped(text.text));
    else
      out += fmt::format(R"~(<text x="{:.1f}" y="{:.1f}" text-anchor="{}">{}</text>)~", text.x, text.y, text.stands == Layout::Text::Stands::middle ? "middle" : "end", escaped(text.text));
  }
  out += fmt::format(R"~(<g clip-path="url(#inside{})">)~", number);
  for (const auto& ground : drawn.grounds) {
    const auto edge = path_of(ground.edge);
    out += fmt::format(R"~(<path fill="url(#ground{})" d="{}L{:.1f} {:g}L{:.1f} {:g}Z"/><path class="edge" d="{}"/>)~", number, edge, ground.edge.back().first, ground.beyond, ground.edge.front().first, ground.beyond, edge);
  }
  for (const auto& curve : drawn.curves)
    out += fmt::format(R"~(<path class="curve" stroke="{}"{} d="{}"/>)~", escaped(curve.colour), curve.dashed ? R"~( stroke-dasharray="6 4")~" : "", path_of(curve.line));
  out += fmt::format(R"~(</g><rect class="frame" x="{:g}" y="{:g}" width="{:g}" height="{:g}"/></svg>)~", drawn.left, drawn.top, drawn.wide, drawn.high);
  return out;
}

}  // namespace heron::report
