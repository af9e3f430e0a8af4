#include "over_time_lens.h"

#include <QLabel>
#include <QVBoxLayout>

#include "app/ink.h"
#include "app/readings.h"
#include "render/theme.h"

namespace heron::app {

OverTimeLens::OverTimeLens(Desk* desk, QWidget* parent, const char* object, const QString& accessible)
    : Lens(desk, parent), bar_(new LookBar(this)), plot_(new RecordPlot(this)), why_(new QLabel(this)) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  column->addWidget(bar_);
  why_->setFont(render::text_font(12.5));
  why_->setWordWrap(true);
  why_->hide();
  set_ink(*why_, render::theme().slate);
  column->addWidget(why_);
  column->addWidget(plot_, 1);
  plot_->setObjectName(object);
  plot_->setAccessibleName(accessible);
  looking_ = new PlotView(plot_, [this] { plot_->show_all(); }, PlotView::Wheel::along, plot_->panels());
  cursors_ = new PlotCursors(plot_, &desk_->look, plot_->panels());
  connect(&desk_->look, &Look::cursors_changed, this, [this] { place_cursors(); });
  connect(&desk_->document, &Document::opened, this, [this] { looking_->forget(); });
}

void OverTimeLens::follow() {
  bar_->refresh();
  connect(&desk_->focus, &Focus::shown_changed, this, &OverTimeLens::renew_in_view);
  connect(&desk_->readings, &Readings::live_changed, this, &OverTimeLens::renew_in_view);
  connect(&desk_->readings, &Readings::take_read, this, &OverTimeLens::renew_in_view);
  connect(&desk_->runner, &Runner::running_changed, this, &OverTimeLens::renew_in_view);
}

void OverTimeLens::renew_in_view() {
  if (isVisible()) renew();
}

bool OverTimeLens::handle_key(int key) {
  if (cursors_->handle_key(key)) return true;
  if (key == Qt::Key_BracketLeft || key == Qt::Key_BracketRight) {
    step(key == Qt::Key_BracketLeft ? -1 : 1);
    return true;
  }
  return key == Qt::Key_Backspace && looking_->back();
}

void OverTimeLens::show_point(int index) {
  chosen_ = index;
  renew_in_view();
}

QString OverTimeLens::trouble() const { return why_->isVisibleTo(this) ? why_->text() : QString(); }

std::optional<int> OverTimeLens::wanted() const {
  const auto all = points();
  if (all.empty()) return std::nullopt;
  return std::find(all.begin(), all.end(), chosen_) != all.end() ? chosen_ : all.back();
}

void OverTimeLens::step(int by) {
  const auto all = points();
  if (all.size() < 2) return;
  const auto at = std::find(all.begin(), all.end(), *wanted()) - all.begin(), count = std::ptrdiff_t(all.size());
  show_point(all[std::size_t((at + by + count) % count)]);
}

void OverTimeLens::add_step_word(const QString& noun) {
  bar_->add(
      noun.left(1).toUpper() + noun.mid(1), "Which " + noun + " of the take is shown; [ and ] step",
      [this, noun] {
        const auto all = points();
        if (all.size() < 2) return QString();
        return QString("%1 %2 of %3").arg(noun).arg(std::find(all.begin(), all.end(), *wanted()) - all.begin() + 1).arg(all.size());
      },
      [this] { step(1); });
}

void OverTimeLens::say(const QString& why) {
  why_->setText(why);
  why_->show();
  plot_->hide();
  read_.clear();
  place_cursors();
  bar_->refresh();
}

void OverTimeLens::say_nothing(bool is_read, const QString& otherwise) {
  say(!desk_->focus.shown() ? "Nothing is taken yet. Space takes." : is_read ? otherwise : "reading\u2026");
}

void OverTimeLens::draw(std::vector<RecordCurve> curves, Panels panels, const std::vector<LimitLine>& limits) {
  why_->hide();
  plot_->show();
  plot_->show_record(std::move(curves), panels, std::nullopt, limits);
  looking_->set_rects(plot_->panels());
  cursors_->set_rects(plot_->panels());
  place_cursors();
  bar_->refresh();
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

/// What every quantity is where the cursors stand.
void OverTimeLens::place_cursors() {
  cards_ = told_;
  cursors_->place();
  if (isVisible())
    for (const char letter : {'A', 'B'}) {
      const auto at = desk_->look.cursor(letter);
      if (!at) continue;
      for (const auto& one : read_)
        if (const auto value = study::value_at(*one.trace, *at); value && *value)
          cards_ << value_card(QString("%1 at %2").arg(one.name).arg(letter), **value, one.trace->unit, 4, text(format_quantity(*at, "s", 4).plain()));
    }
  emit cards_changed();
}

void OverTimeLens::showEvent(QShowEvent* event) {
  Lens::showEvent(event);
  renew();
}

}  // namespace heron::app
