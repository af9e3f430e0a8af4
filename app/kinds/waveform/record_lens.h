#pragma once
#include <map>

#include "app/aside.h"
#include "app/lenses/lens.h"
#include "app/lenses/look_bar.h"
#include "app/lenses/plot_cursors.h"
#include "app/lenses/plot_view.h"
#include "app/lenses/record_plot.h"
#include "study/waveform/averaged.h"

namespace heron::app {

/// The records of the take in view over time, those laid over it, the wake behind; cursors read every quantity, and what
/// lies between them.
class RecordLens : public Lens {
  Q_OBJECT

 public:
  explicit RecordLens(Desk* desk, QWidget* parent = nullptr);

  QCustomPlot* plot() override { return plot_; }
  bool handle_key(int key) override;
  QList<CursorCard> cards() const override { return cards_; }
  RecordPlot* record_plot() const { return plot_; }
  /// Of several passes, which one stands before the others and is read by the cursors.
  void show_point(int index) override;
  void set_panels(Panels panels);

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  void redraw();
  void place_cursors();
  void mark_figure();
  void step_pass(int by);
  /// Of the take in view; null for none.
  study::WaveformsPtr pass() const;
  /// Cursors to two per cents of the quantity that is chosen, within the part in view.
  void go_to_per_cents(bool of_start);
  QList<LookBar::MenuLine> per_cents();
  void ask_shapes();
  QList<LookBar::MenuLine> ranges();
  QString ranges_said() const;
  /// How much of its input's range a quantity uses.
  struct RangeUse {
    std::string quantity;
    double peak = 0, range = 1;  ///< in its unit
    double share() const { return peak / range; }
  };
  std::vector<RangeUse> ranges_used() const;
  void ask_clouds();
  void ask_bundle();
  /// What the study's formulas expect, as curves of the take's quantities.
  void add_expected(std::vector<RecordCurve>& curves) const;
  void arrived();

  LookBar* bar_;
  RecordPlot* plot_;
  PlotView* looking_;
  PlotCursors* cursors_;
  Panels panels_ = Panels::each;
  QList<CursorCard> cards_;
  std::optional<int> pass_;  ///< index of the one that was chosen; unset: the last
  /// Per cents of the states, and of the starting value.
  struct PerCents {
    double first, second;
  };
  PerCents states_{10, 90}, start_{90, 33.1};
  std::string quantity_;  ///< that they are read on; empty: the first
  bool of_start_ = false;  ///< which of them was asked for last
  /// Pulses scaled to one peak, and how far each shape differs from that of the take in view.
  struct Shapes {
    std::map<const study::Trace*, study::TracePtr> scaled;  ///< by the trace as it was taken
    QList<CursorCard> cards;
  };
  Shapes shapes_;
  std::vector<study::WaveformsPtr> shapes_of_;  ///< what they were asked of; the one in view first
  /// How the passes of the take in view are seen together.
  enum class Together {
    pale,     ///< one before the others, which are pale
    density,  ///< where how many of them run
    bundle,   ///< their mean between the lowest and the highest
  };
  Together together_ = Together::pale;
  std::optional<study::waveform::Bundle> bundle_;
  std::vector<study::WaveformsPtr> bundle_of_;
  std::vector<RecordPlot::Cloud> clouds_;
  QCPRange clouds_over_{1, 0};
  std::vector<study::WaveformsPtr> clouds_of_;
  Aside shaping_{this}, finding_{this}, joining_{this}, counting_{this};
  bool stale_ = true, scaled_ = false, held_ = false;
  Between between_ = Between::lines;
};

}  // namespace heron::app
