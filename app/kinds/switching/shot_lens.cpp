#include "shot_lens.h"

#include "app/text.h"
#include "base/quantity.h"

namespace heron::app {

ShotLens::ShotLens(Desk* desk, QWidget* parent, const char* object, const QString& accessible)
    : OneOfTakeLens(
          desk, parent, object, accessible,
          [](const TakeView& view) {
            Loaded out;
            const auto* reduced = switching_of(&view);
            auto settings = study::switching::settings_from_text(view.analysis.settings);
            if (!reduced || !settings) {
              out.trouble = "The take has no shot.";
              return out;
            }
            out.settings = std::move(*settings);
            auto shots = reduced->read_shots(out.settings);
            if (shots) out.items = std::move(*shots);
            else out.trouble = text(shots.error().message);
            for (const auto& one : out.items) out.points.push_back(one->setting.point);
            return out;
          },
          "shot") {}

std::optional<QCPRange> span_of(const study::switching::Edge& edge) {
  std::optional<QCPRange> out;
  for (const auto& f : edge.found)
    if (f.value) out = out ? out->expanded(QCPRange(f.from, f.to)) : QCPRange(f.from, f.to);
  return out;
}

void set_of_study(Desk* desk, const study::Edits& edits) {
  const auto study = desk->focus.study_id();
  if (const auto trouble = desk->document.edit_settings(study, edits); !trouble.isEmpty()) desk->messages.say_trouble(trouble, study);
}

}  // namespace heron::app
