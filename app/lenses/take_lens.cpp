#include "take_lens.h"

#include <QVBoxLayout>

#include "app/text.h"
#include "render/plot_parts.h"
#include "render/theme.h"

namespace heron::app {
namespace {

constexpr const char* kReading = "reading\u2026";

}  // namespace

TakeLens::TakeLens(Desk* desk, QWidget* parent, const char* object, const QString& accessible)
    : Lens(desk, parent), bar_(new LookBar(this)), plot_(new QCustomPlot(this)) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  column->addWidget(bar_);
  column->addWidget(plot_, 1);
  plot_->setObjectName(object);
  plot_->setAccessibleName(accessible);
  render::style_plot(*plot_);
  render::style_axes(*plot_->axisRect());
  plot_->addLayer("said", plot_->layer("main"), QCustomPlot::limAbove);
  why_ = new QCPItemText(plot_);
  why_->position->setType(QCPItemPosition::ptViewportRatio);
  why_->position->setCoords(0.5, 0.45);
  why_->setPositionAlignment(Qt::AlignCenter);
  why_->setFont(render::text_font(13));
  why_->setColor(render::theme().slate);
  why_->setLayer("said");
  render::set_free(*why_);
  // What is worked out at once does not flicker; of what takes longer another take's drawing does not stand meanwhile.
  constexpr int kPatience = 150;  // ms
  late_.setSingleShot(true);
  late_.setInterval(kPatience);
  connect(&late_, &QTimer::timeout, this, [this] { say(kReading); });
  connect(&desk_->focus, &Focus::shown_changed, this, &TakeLens::reload);
  connect(&desk_->readings, &Readings::live_changed, this, &TakeLens::reload);
  connect(&desk_->readings, &Readings::take_read, this, &TakeLens::reload);
  connect(&desk_->document, &Document::opened, this, [this] {
    if (looking_) looking_->forget();
  });
}

bool TakeLens::handle_key(int key) { return key == Qt::Key_Backspace && looking_ && looking_->back(); }

void TakeLens::showEvent(QShowEvent* event) {
  Lens::showEvent(event);
  reload();
}

void TakeLens::reload() {
  if (!isVisible()) return;
  const auto view = desk_->readings.shown();
  put_off_ = holds() && view && view->take.id == drawn_take_;
  if (put_off_) return;
  working_.drop();
  if (!desk_->focus.shown()) return say("Nothing is taken yet. Space takes.");
  if (!view) return say(kReading);
  if (view->empty()) return say(view->trouble.isEmpty() ? "The take has no record." : view->trouble);
  if (drawn_take_ < 0 && trouble_.isEmpty())
    say(kReading);
  else if (drawn_take_ != view->take.id)
    late_.start();
  asked_take_ = view->take.id;
  prepare(view);
}

void TakeLens::let_loose() {
  if (std::exchange(put_off_, false)) reload();
}

void TakeLens::say(const QString& why) {
  late_.stop();
  trouble_ = why;
  drawn_take_ = -1;
  clear();
  why_->setText(why);
  why_->setVisible(true);
  for (auto* rect : plot_->axisRects()) rect->setVisible(false);
  bar_->refresh();
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

void TakeLens::drawn(bool anew) {
  late_.stop();
  trouble_.clear();
  drawn_take_ = asked_take_;
  why_->setVisible(false);
  for (auto* rect : plot_->axisRects()) rect->setVisible(true);
  bar_->refresh();
  if (std::exchange(framed_, desk_->focus.study_id()) != desk_->focus.study_id() || anew) {
    if (looking_) looking_->forget();
    frame();
  } else if (looking_ && !looking_->moved()) {
    frame();
  }
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

}  // namespace heron::app
