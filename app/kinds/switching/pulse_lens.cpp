#include "pulse_lens.h"

#include <QMouseEvent>
#include <cmath>

#include "app/lenses/laid_over.h"
#include "app/lenses/placed_masks.h"
#include "app/readings.h"
#include "render/theme.h"
#include "shot_lens.h"

namespace heron::app {

namespace switching = study::switching;

namespace {
constexpr double kStill = 4;    ///< pixels that a click may move
constexpr double kNearby = 40;  ///< pixels from an event that mean it
}  // namespace

PulseLens::PulseLens(Desk* desk, QWidget* parent) : OverTimeLens(desk, parent, "pulses", "The whole shot over time") {
  plot_->setToolTip("A click on an event enlarges it; a double click shows all");
  plot_->installEventFilter(this);
  add_step_word("shot");
  follow();
  connect(&desk_->look, &Look::figure_changed, this, &PulseLens::mark_figure);
}

std::vector<int> PulseLens::points() const {
  std::vector<int> out;
  for (const auto& shot : ready_.shots) out.push_back(shot->setting.point);
  return out;
}

void PulseLens::renew() {
  working_.drop();
  const auto view = desk_->readings.shown();
  if (!view || !switching_of(view.get())) {
    shot_.reset();
    ready_ = {};
    return say_nothing(false, {});
  }
  working_.ask(
      [view, others = laid_over(*desk_)] {
        const auto shots_of = [](const TakeView& of) {
          const auto settings = switching::settings_from_text(of.analysis.settings);
          const auto* reduced = switching_of(&of);
          std::vector<switching::ReadShotPtr> out;
          if (!reduced || !settings) return out;
          if (auto shots = reduced->read_shots(*settings)) out = std::move(*shots);
          return out;
        };
        Ready out{.shots = shots_of(*view), .others = {}};
        for (const auto& [its, behind] : others) out.others.push_back({its->take.number, behind, shots_of(*its)});
        return out;
      },
      [this](const Ready& ready) {
        ready_ = ready;
        show_shot();
      });
}

void PulseLens::show_shot() {
  const auto view = desk_->readings.shown();
  const auto at = wanted();
  shot_.reset();
  if (!at || !view) return say("The take has no shot.");
  shot_ = *std::find_if(ready_.shots.begin(), ready_.shots.end(), [&](const auto& s) { return s->setting.point == *at; });
  read_.clear();
  std::vector<RecordCurve> curves;
  for (const auto& other : ready_.others) {
    if (other.shots.empty()) continue;
    const auto same = std::find_if(other.shots.begin(), other.shots.end(), [&](const auto& s) { return s->setting.point == shot_->setting.point; });
    const auto& its = same == other.shots.end() ? other.shots.back() : *same;
    for (std::size_t r = 0; r < switching::kRoles; ++r)
      if (const auto* one = its->shot->find(switching::Role(r)); one && shot_->shot->find(switching::Role(r)))
        curves.push_back({.trace = one->trace, .colour = render::take_colour(other.number), .dashed = render::take_dashed(other.number), .wake = other.wake});
  }
  // In their roles first, as they are read; then whatever else was sensed.
  std::vector<std::size_t> drawn;
  for (std::size_t r = 0; r < switching::kRoles; ++r)
    if (const auto* one = shot_->shot->find(switching::Role(r))) {
      curves.push_back({.trace = one->trace, .colour = render::take_colour(view->take.number), .dashed = render::take_dashed(view->take.number)});
      drawn.push_back(one->place);
      read_.push_back({text(std::string(switching::role_name(switching::Role(r)))), one->trace});
    }
  const auto& traces = shot_->shot->record->traces;
  for (std::size_t k = 0; k < traces.size(); ++k)
    if (std::find(drawn.begin(), drawn.end(), k) == drawn.end()) curves.push_back({.trace = traces[k], .colour = render::take_colour(view->take.number)});
  draw(std::move(curves), Panels::each, limits_over_time(*desk_));
  mark_figure();
}

/// A click near an event enlarges it.
bool PulseLens::eventFilter(QObject* watched, QEvent* event) {
  if (watched == plot_ && shot_ && !cursors_->held()) {
    if (event->type() == QEvent::MouseButtonPress) pressed_ = static_cast<QMouseEvent*>(event)->position();
    if (event->type() == QEvent::MouseButtonRelease) {
      const auto at = static_cast<QMouseEvent*>(event)->position();
      const auto* panel = plot_->panels().isEmpty() ? nullptr : plot_->panels().front();
      if (panel && (at - pressed_).manhattanLength() < kStill && at.y() >= panel->top()) {
        const switching::Edge* nearest = nullptr;
        double least = kNearby;
        for (const auto* edge : {&shot_->off, &shot_->on}) {
          if (!*edge) continue;
          const double far = std::abs(panel->axis(QCPAxis::atBottom)->coordToPixel((*edge)->event.at) - at.x());
          if (far < least) {
            least = far;
            nearest = &**edge;
          }
        }
        if (nearest) {
          const auto window = nearest->window.value_or(std::pair{nearest->event.at, nearest->event.current_at});
          const double room = std::max(2 * std::abs(window.second - window.first), 50e-9);
          looking_->remember();
          plot_->set_span(QCPRange(window.first - room, window.second + room));
          plot_->replot(QCustomPlot::rpQueuedReplot);
        }
      }
    }
  }
  return OverTimeLens::eventFilter(watched, event);
}

/// Where the shot in view has the figure; of a sweep the take itself has none.
void PulseLens::mark_figure() {
  if (!shot_) return;
  std::vector<double> at;
  QString label;
  for (const auto& d : switching::definitions()) {
    const auto& found = shot_->get(d.key);
    if (desk_->look.figure() != d.name || !found.value) continue;
    at = {found.from};
    if (found.to > found.from) at.push_back(found.to);
    label = d.label;
  }
  plot_->show_marks(std::move(at), {}, label);
}

}  // namespace heron::app
