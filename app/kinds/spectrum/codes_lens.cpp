#include "codes_lens.h"

#include <QMouseEvent>
#include <QToolTip>
#include <cmath>

#include "app/text.h"
#include "render/theme.h"

namespace heron::app {

using render::theme;

CodesLens::CodesLens(Desk* desk, QWidget* parent) : PointTakeLens(desk, parent, "codes", "Codes of the converter") {
  const auto rects = render::stack_panels(*plot_, 3);
  hits_ = rects[0];
  widths_ = rects[1];
  transitions_ = rects[2];
  render::measure_axis(hits_->axis(QCPAxis::atLeft), "Samples", "1");
  render::measure_axis(widths_->axis(QCPAxis::atLeft), "DNL", "LSB");
  render::measure_axis(transitions_->axis(QCPAxis::atLeft), "INL", "LSB");
  render::measure_axis(transitions_->axis(QCPAxis::atBottom), "Code", "1");
  looking_ = new PlotView(plot_, [this] { frame(); }, PlotView::Wheel::along, rects);
  plot_->installEventFilter(this);
  words_.add_to(*bar_);
  bar_->refresh();
}

CodesLens::~CodesLens() { graphs_.clear(); }

void CodesLens::prepare(const TakeViewPtr& view) {
  ink_ = render::take_colour(view->take.number);
  working_.ask([view, point = words_.point()] { return point_of(*view, point); },
               [this](const PointOf& point) {
                 if (!arrived(point)) return;
                 shown_ = point;
                 draw();
               });
}

void CodesLens::clear() {
  drop_graphs();
}

void CodesLens::drop_graphs() {
  for (const auto& one : graphs_) plot_->removeGraph(one->graph());
  graphs_.clear();
}

void CodesLens::draw() {
  at_ = quantity_of(*shown_.spectra, words_.quantity());
  const auto& density = shown_.spectra->densities[at_];
  if (!density) return say("The samples are no codes. Read a converter by the Code reader on the Hookup page (H), or set bits and full_scale.");
  if (!*density) return say(QString("How wide the codes are cannot be told: %1.").arg(text(density->error())));
  drop_graphs();
  const auto& d = **density;
  const auto line = [&](QCPAxisRect* rect, double first, std::vector<double> y, const QPen& pen) {
    std::vector<double> x(y.size());
    for (std::size_t k = 0; k < x.size(); ++k) x[k] = first + double(k);
    graphs_.push_back(std::make_unique<render::LongGraph>(rect->axis(QCPAxis::atBottom), rect->axis(QCPAxis::atLeft)));
    graphs_.back()->graph()->setPen(pen);
    graphs_.back()->set_data(std::move(x), std::move(y));
  };
  // The two at the ends hold the sine's tops.
  const auto inner = [](const std::vector<double>& all) { return std::vector<double>(all.begin() + 1, all.end() - 1); };
  line(hits_, d.lowest + 1, inner(d.hits), QPen(ink_, 1.2));
  line(hits_, d.lowest + 1, inner(d.expected), QPen(theme().ink, 1.2, Qt::DashLine));
  line(widths_, d.lowest + 1, d.dnl, QPen(ink_, 1.2));
  line(transitions_, d.lowest + 0.5, d.inl, QPen(ink_, 1.2));
  drawn();
}

void CodesLens::frame() {
  if (!shown_.spectra || graphs_.empty()) return;
  const auto& d = **shown_.spectra->densities[at_];
  hits_->axis(QCPAxis::atBottom)->setRange(d.lowest, d.highest);
  const auto around = [](const std::vector<double>& all) {
    double most = 0.1;
    for (const double v : all) most = std::max(most, std::abs(v));
    return QCPRange(-1.15 * most, 1.15 * most);
  };
  widths_->axis(QCPAxis::atLeft)->setRange(around(d.dnl));
  transitions_->axis(QCPAxis::atLeft)->setRange(around(d.inl));
  // The ends of a sine tower over its middle.
  auto sorted = d.hits;
  std::sort(sorted.begin(), sorted.end());
  hits_->axis(QCPAxis::atLeft)->setRange(0, 1.3 * std::max(1.0, sorted[std::size_t(0.985 * double(sorted.size() - 1))]));
}

bool CodesLens::eventFilter(QObject* watched, QEvent* event) {
  if (watched == plot_ && event->type() == QEvent::MouseMove && !graphs_.empty()) {
    const auto* move = static_cast<QMouseEvent*>(event);
    const auto& d = **shown_.spectra->densities[at_];
    const int code = int(std::lround(hits_->axis(QCPAxis::atBottom)->pixelToCoord(move->position().x())));
    const auto k = code - d.lowest - 1;
    if (k >= 0 && k < int(d.dnl.size()))
      QToolTip::showText(move->globalPosition().toPoint(), QString("code %1: %2 samples, an ideal one %3\nwidth %4 LSB off, below it a transition %5 LSB off")
                                                              .arg(code)
                                                              .arg(d.hits[std::size_t(k) + 1], 0, 'f', 0)
                                                              .arg(d.expected[std::size_t(k) + 1], 0, 'f', 1)
                                                              .arg(d.dnl[std::size_t(k)], 0, 'f', 2)
                                                              .arg(d.inl[std::size_t(k)], 0, 'f', 2),
                         plot_);
  }
  return PointTakeLens::eventFilter(watched, event);
}

}  // namespace heron::app
