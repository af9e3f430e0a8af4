#pragma once
#include <QElapsedTimer>

#include "lens.h"
#include "look_bar.h"
#include "render/family_plot.h"

namespace heron::app {

/// Current, slope or power over voltage: the take in view, those laid over it, the wake behind, ratings as hatched
/// ground.
class FamilyLens : public Lens {
  Q_OBJECT

 public:
  explicit FamilyLens(Session* session, QWidget* parent = nullptr, render::Upright upright = render::Upright::current);

  QString title() const override;
  QCustomPlot* plot() override { return plot_; }
  bool handle_key(int key) override;
  render::FamilyPlot* family_plot() const { return plot_; }
  LookBar* bar() const { return bar_; }
  void set_logarithmic(bool on);
  void show_all();

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;
  void showEvent(QShowEvent* event) override;

 private:
  void redraw();
  void remember();
  std::shared_ptr<const TakeView> view() const;
  QString read_out(const QPointF& pixel) const;

  render::Upright upright_;
  LookBar* bar_;
  render::FamilyPlot* plot_;
  QList<std::pair<QCPRange, QCPRange>> views_;
  QElapsedTimer since_zoom_;
  bool stale_ = true;
};

}  // namespace heron::app
