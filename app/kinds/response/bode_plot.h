#pragma once
#include <qcustomplot.h>

#include "judge/claim.h"
#include "study/response/reduce.h"

namespace heron::app {

/// One curve of the plot and how it is told apart.
struct BodeCurve {
  const study::response::Curve* curve = nullptr;
  QColor colour;
  bool dashed = false;
  bool wake = false;  ///< drawn as a broad pale band behind the others
};

/// A thin line with a band around it: what is expected, or a mean with its spread. In dB and degrees.
struct BodeBand {
  std::vector<double> frequency, gain, gain_low, gain_high, phase, phase_low, phase_high;  ///< bands may be empty
  QColor colour;
  bool dotted = true;
  QString name;  ///< written at the line's end
};

/// How gain and phase are drawn.
struct BodeForm {
  bool in_db = true;        ///< else as a ratio; an impedance always in ohm
  bool unwrapped = true;    ///< else within (-180, 180]
  bool logarithmic = true;  ///< frequency axis
  bool impedance = false;
  bool delay = false;  ///< group delay in place of the gain, without a phase panel
  bool operator==(const BodeForm&) const = default;
};

/// Gain over phase over coherence (where there is one) on one frequency axis, with limit lines as forbidden ground.
class BodePlot : public QCustomPlot {
  Q_OBJECT

 public:
  explicit BodePlot(QWidget* parent = nullptr);

  void set_form(const BodeForm& form);
  const BodeForm& form() const { return form_; }

  /// Redraws everything. A view that somebody chose is kept; one that framed all frames all again.
  void show_curves(const QList<BodeCurve>& curves, const std::vector<judge::Mask>& masks,
                   const QList<BodeBand>& bands = {});

  /// Marks where a figure was read: a ring on the curve at each frequency, with a hairline down to the axis.
  void show_marks(const study::response::Curve* curve, const std::vector<double>& frequencies, const QString& label);

  /// Frames all that is drawn, the span included where nothing is measured yet.
  void show_all();
  void set_span(double from, double to) { span_ = {from, to}; }

  QCPAxisRect* gain_rect() const { return gain_; }
  QCPAxisRect* phase_rect() const { return phase_; }
  QCPAxisRect* coherence_rect() const { return coherence_; }
  /// Those that are in view, from the top.
  QList<QCPAxisRect*> rects() const;

  /// A point's height in the upper panel, in the form that is drawn.
  double upper_value(const study::response::Curve& curve, std::size_t point) const;
  double lower_value(const study::response::CurvePoint& point) const;

 private:
  bool framed() const;
  void arrange(bool with_phase, bool with_coherence);
  void add_curve(QCPAxisRect* rect, const BodeCurve& curve, const std::vector<double>& y, bool pale_apart);
  void add_band(QCPAxisRect* rect, const BodeBand& band, const std::vector<double>& middle,
                const std::vector<double>& low, const std::vector<double>& high, bool named);
  double level(double gain_db) const;

  QCPAxisRect* gain_;
  QCPAxisRect* phase_;
  QCPAxisRect* coherence_;
  BodeForm form_;
  bool with_phase_ = true, with_coherence_ = false;
  QList<QCPAbstractPlottable*> drawn_;
  QList<QCPAbstractItem*> ground_, marks_;
  QCPRange gain_range_, phase_range_, span_{10, 1e5}, x_range_;
  QCPRange framed_x_, framed_gain_, framed_phase_;
};

/// Group delay at every point of a curve, s: difference of phase over its two neighbours.
std::vector<double> group_delays(const study::response::Curve& curve);

}  // namespace heron::app
