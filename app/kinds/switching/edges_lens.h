#pragma once
#include <array>
#include <memory>

#include "render/plot_parts.h"
#include "shot_lens.h"

namespace heron::app {

/// Turn-off and turn-on side by side: voltage and current, gate, power and running energy. The windows of the integrals are
/// shaded, and their ends are dragged; standard windows are a click away. Rings stand where slopes and levels were read.
class EdgesLens : public ShotLens {
  Q_OBJECT

 public:
  explicit EdgesLens(Desk* desk, QWidget* parent = nullptr);
  QList<CursorCard> cards() const override { return cards_; }
  /// Where an end of a window is drawn, in the plot; nothing where there is none.
  std::optional<QPointF> window_end(bool on, bool last) const;
  int rings() const { return int(rings_.size()); }

 protected:
  QString lacks(const study::switching::ReadShot& shot) const override;
  void draw() override;
  void clear() override;
  bool holds() const override { return held_.has_value(); }
  void frame() override;
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  enum Strip { volts_amps, gate, power_energy, kRows };
  struct Side {
    std::array<QCPAxisRect*, kRows> rects = {};
    std::optional<study::switching::Core> core;
    std::array<QCPItemRect*, kRows> shades = {};
    QCPItemText* written = nullptr;  ///< the energy, in its pane
    std::optional<std::pair<double, double>> window;
    std::optional<qsizetype> card;  ///< of the energy
  };
  struct Held {
    bool on = false, last = false;
  };
  void draw_side(bool on);
  void draw_beside(bool on);
  QCPGraph* line(QCPAxis* x, QCPAxis* y, const std::vector<double>& t, const std::vector<double>& values, const QColor& ink, const QString& name);
  void ring(QCPAxisRect* rect, QCPAxis* y, double time, double value);
  void shade(bool on);
  void level_energies();
  std::optional<Held> window_end_near(const QPointF& at) const;
  /// The share of its level that an end of a window would stand at.
  std::optional<double> share_at(const Held& end, double time) const;
  void drag(const QPointF& at);
  void let_go();
  void tell();
  Side& side(bool on) { return sides_[on ? 1 : 0]; }
  const Side& side(bool on) const { return sides_[on ? 1 : 0]; }
  const std::optional<study::switching::Edge>& edge(bool on) const { return on ? record_->on : record_->off; }

  std::array<Side, 2> sides_;
  QList<QCPAbstractItem*> rings_, words_;
  QList<QCPGraph*> graphs_;
  std::optional<Held> held_;
  std::optional<double> dragged_;  ///< share that the held end stands at
  QList<CursorCard> cards_;
};

}  // namespace heron::app
