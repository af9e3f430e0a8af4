#include "pulse_lens.h"

#include <QLabel>
#include <QMouseEvent>
#include <QVBoxLayout>
#include <cmath>

#include "app/ink.h"
#include "app/lenses/laid_over.h"
#include "app/lenses/placed_masks.h"
#include "app/readings.h"
#include "app/text.h"
#include "base/quantity.h"
#include "render/theme.h"
#include "shot_lens.h"

namespace heron::app {

namespace switching = study::switching;

namespace {
constexpr double kStill = 4;    ///< pixels that a click may move
constexpr double kNearby = 40;  ///< pixels from an event that mean it
}  // namespace

PulseLens::PulseLens(Desk* desk, QWidget* parent) : Lens(desk, parent), bar_(new LookBar(this)), why_(new QLabel(this)), plot_(new RecordPlot(this)) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  column->addWidget(bar_);
  why_->setFont(render::text_font(12.5));
  why_->setWordWrap(true);
  set_ink(*why_, render::theme().slate);
  column->addWidget(why_);
  column->addWidget(plot_, 1);
  plot_->setObjectName("pulses");
  plot_->setAccessibleName("The whole shot over time");
  plot_->setToolTip("A click on an event enlarges it; a double click shows all");
  looking_ = new PlotView(plot_, [this] { plot_->show_all(); }, PlotView::Wheel::along, plot_->panels());
  cursors_ = new PlotCursors(plot_, &desk_->look, plot_->panels());
  plot_->installEventFilter(this);
  bar_->add(
      "Shot", "Which shot of the take is shown; [ and ] step",
      [this] {
        const auto it = std::find(ready_.shots.begin(), ready_.shots.end(), shot_);
        return ready_.shots.size() > 1 && it != ready_.shots.end() ? QString("shot %1 of %2").arg(it - ready_.shots.begin() + 1).arg(ready_.shots.size()) : QString();
      },
      [this] { step(1); });
  bar_->refresh();
  connect(&desk_->focus, &Focus::shown_changed, this, &PulseLens::reload);
  connect(&desk_->readings, &Readings::live_changed, this, &PulseLens::reload);
  connect(&desk_->readings, &Readings::take_read, this, &PulseLens::reload);
  connect(&desk_->look, &Look::cursors_changed, this, &PulseLens::place_cursors);
  connect(&desk_->look, &Look::figure_changed, this, &PulseLens::mark_figure);
  connect(&desk_->document, &Document::opened, this, [this] { looking_->forget(); });
}

bool PulseLens::handle_key(int key) {
  if (cursors_->handle_key(key)) return true;
  if (key == Qt::Key_BracketLeft || key == Qt::Key_BracketRight) {
    step(key == Qt::Key_BracketLeft ? -1 : 1);
    return true;
  }
  return key == Qt::Key_Backspace && looking_->back();
}

void PulseLens::show_point(int index) {
  chosen_ = index;
  reload();
}

void PulseLens::step(int by) {
  const auto it = std::find(ready_.shots.begin(), ready_.shots.end(), shot_);
  const auto count = std::ptrdiff_t(ready_.shots.size());
  if (it == ready_.shots.end() || count < 2) return;
  show_point(ready_.shots[std::size_t((it - ready_.shots.begin() + by + count) % count)]->setting.point);
}

void PulseLens::showEvent(QShowEvent* event) {
  Lens::showEvent(event);
  reload();
}

void PulseLens::reload() {
  if (!isVisible()) return;
  working_.drop();
  const auto view = desk_->readings.shown();
  if (!view || !switching_of(view.get())) {
    shot_.reset();
    why_->setText(desk_->focus.shown() ? "reading\u2026" : "Nothing is taken yet. Space takes.");
    why_->setVisible(true);
    plot_->setVisible(false);
    return;
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
        draw();
      });
}

void PulseLens::draw() {
  const auto view = desk_->readings.shown();
  const auto it = std::find_if(ready_.shots.begin(), ready_.shots.end(), [&](const auto& s) { return s->setting.point == chosen_; });
  shot_ = it != ready_.shots.end() ? *it : ready_.shots.empty() ? nullptr : ready_.shots.back();
  why_->setVisible(!shot_);
  plot_->setVisible(bool(shot_));
  if (!shot_ || !view) {
    why_->setText("The take has no shot.");
    return;
  }
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
    }
  const auto& traces = shot_->shot->record->traces;
  for (std::size_t k = 0; k < traces.size(); ++k)
    if (std::find(drawn.begin(), drawn.end(), k) == drawn.end()) curves.push_back({.trace = traces[k], .colour = render::take_colour(view->take.number)});
  plot_->show_record(std::move(curves), Panels::each, std::nullopt, limits_over_time(*desk_));
  looking_->set_rects(plot_->panels());
  cursors_->set_rects(plot_->panels());
  mark_figure();
  place_cursors();
  bar_->refresh();
  plot_->replot(QCustomPlot::rpQueuedReplot);
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
  return Lens::eventFilter(watched, event);
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

/// What every quantity is where the cursors stand.
void PulseLens::place_cursors() {
  cards_.clear();
  cursors_->place();
  if (shot_ && isVisible())
    for (const char letter : {'A', 'B'}) {
      const auto at = desk_->look.cursor(letter);
      if (!at) continue;
      for (std::size_t r = 0; r < switching::kRoles; ++r) {
        const auto* one = shot_->shot->find(switching::Role(r));
        if (!one) continue;
        if (const auto value = study::value_at(*one->trace, *at); value && *value)
          cards_ << value_card(QString("%1 at %2").arg(text(std::string(switching::role_name(switching::Role(r))))).arg(letter), **value, std::string(switching::role_unit(switching::Role(r))).c_str(), 4, text(format_quantity(*at, "s", 4).plain()));
      }
    }
  emit cards_changed();
}

}  // namespace heron::app
