#pragma once
#include <QLabel>

#include "app/aside.h"
#include "app/lenses/lens.h"
#include "app/lenses/plot_view.h"
#include "render/plot_parts.h"
#include "study/raw.h"

namespace heron::app {

/// The waveforms behind a point: raw samples with the fitted sine, and what the fit leaves, of stimulus and response.
class PointLens : public Lens {
  Q_OBJECT

 public:
  explicit PointLens(Desk* desk, QWidget* parent = nullptr);

  QCustomPlot* plot() override { return plot_; }
  bool handle_key(int key) override;

  void show_point(int index) override;
  int index() const { return index_; }

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  struct Panel {
    QCPAxisRect* samples;
    QCPAxisRect* rest;
    std::unique_ptr<render::LongGraph> raw, residual;
    QCPGraph* fit;
  };
  void make_panel(int column, const QString& name);
  struct Drawn;
  struct Behind;
  static Result<Drawn> side_of(const study::Point& point, std::size_t side, double frequency);
  void fill_panel(std::size_t side, const Drawn& drawn);
  void reload();
  void step(int by);

  PlotView* looking_;
  QCustomPlot* plot_;
  QLabel* heading_;
  QLabel* use_;
  std::vector<Panel> panels_;
  int index_ = 0;
  Aside aside_{this};
};

}  // namespace heron::app
