#include "sweep_lens.h"

#include <algorithm>

#include "app/text.h"
#include "render/plot_parts.h"

namespace heron::app {

using study::spectrum::SweepGroup;

namespace {

struct GroupWord {
  SweepGroup group;
  const char *name, *axis;
};
constexpr GroupWord kGroups[] = {{SweepGroup::distortion, "distortion", "Distortion"}, {SweepGroup::noise, "noise", "Over noise"}, {SweepGroup::gain, "gain", "Gain"}};

const GroupWord& word_of(SweepGroup group) {
  return *std::find_if(std::begin(kGroups), std::end(kGroups), [&](const GroupWord& one) { return one.group == group; });
}

}  // namespace

SweepLens::SweepLens(Desk* desk, QWidget* parent)
    : FamilyOfCurves(desk, parent, "sweep", "Figures over the sweep", 1, [](const TakeView& view) -> std::any {
        const auto* reduced = dynamic_cast<const study::spectrum::SweepSource*>(view.reduced.get());
        const auto settings = study::spectrum::settings_from_text(view.analysis.settings);
        if (!reduced || !settings) return {};
        auto curves = reduced->over_sweep(*settings);
        if (!curves) return Swept{{}, reduced->axis(), text(curves.error().message)};
        const auto none = curves->empty() ? QString("The take is no sweep. Say in the brief at what it goes: rising level or rising frequency.") : QString();
        return Swept{std::move(*curves), reduced->axis(), none};
      }) {
  bar_->add(
      "Curves", "Distortion and harmonics, what stands over the noise, or the gain", [this] { return shown_.has_value() ? QString(word_of(group_).name) : QString(); },
      [this] {
        group_ = kGroups[(&word_of(group_) - kGroups + 1) % std::ssize(kGroups)].group;
        again();
      });
  bar_->refresh();
}

QString SweepLens::lacks(const std::any& of) const {
  const auto& swept = std::any_cast<const Swept&>(of);
  if (!swept.trouble.isEmpty()) return swept.trouble;
  const bool any = std::any_of(swept.curves.begin(), swept.curves.end(), [&](const auto& c) { return c.group == group_ && !c.at.empty(); });
  return any ? QString() : QString("No point of the sweep has these figures.");
}

std::vector<DrawnCurve> SweepLens::curves_of(int, const std::any& of) const {
  const auto& curves = std::any_cast<const Swept&>(of).curves;
  std::vector<DrawnCurve> out;
  for (const auto& curve : curves) {
    if (curve.group != group_ || curve.at.empty()) continue;
    const bool several = std::any_of(curves.begin(), curves.end(), [&](const auto& other) { return other.quantity != curve.quantity; });
    out.push_back({.name = text(several ? curve.quantity + " " + curve.label : curve.label), .x = curve.at, .y = curve.value, .u = curve.u, .points = curve.points, .quantity = int(out.size())});
  }
  return out;
}

void SweepLens::finish() {
  const auto& swept = std::any_cast<const Swept&>(shown_);
  std::string unit;
  for (const auto& curve : swept.curves)
    if (curve.group == group_ && !curve.at.empty()) unit = curve.unit;
  const bool level = swept.axis.over == study::spectrum::SweptOver::level;
  render::measure_axis(plot_->xAxis, level ? "Level, rms" : "Frequency", swept.axis.unit, true);
  render::measure_axis(plot_->yAxis, !level && group_ == SweepGroup::gain ? "Output" : word_of(group_).axis, unit);
}

}  // namespace heron::app
