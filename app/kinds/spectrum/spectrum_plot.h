#pragma once
#include <qcustomplot.h>

#include <memory>
#include <vector>

#include "render/plot_parts.h"
#include "study/spectrum/figures.h"

namespace heron::app {

/// In what lines are told.
enum class Scale {
  level,    ///< dBFS, or dB of 1 V rms
  carrier,  ///< dB below the fundamental
  rms,      ///< the rms of a tone
  density,  ///< of noise, per root hertz
};

/// The spectrum of one quantity of one take.
struct SpectrumCurve {
  std::shared_ptr<const study::spectrum::PointSpectra> of;  ///< holds it
  std::size_t quantity = 0;
  study::spectrum::Settings settings;
  QColor colour;
  bool dashed = false, wake = false, tagged = false;

  const study::spectrum::Spectrum& spectrum() const { return of->spectra[quantity]; }
};

/// Ground that lines shall not enter.
struct SpectrumLimit {
  QVector<QPointF> line;  ///< Hz, level
  bool upper = true;
};

/// A tone that is named on the plot.
struct SpectrumTag {
  double frequency = 0, level = 0;  ///< as drawn
  QString text;
};

/// Lines over frequency. What stands out is named by tags that never touch; where there are more lines than pixels the
/// extremes of each pixel are drawn.
class SpectrumPlot : public QCustomPlot {
  Q_OBJECT

 public:
  explicit SpectrumPlot(QWidget* parent = nullptr);
  ~SpectrumPlot() override;

  struct Form {
    Scale scale = Scale::level;
    bool logarithmic = false;
    bool operator==(const Form&) const = default;
  };
  void set_form(const Form& form) { form_ = form; }
  const Form& form() const { return form_; }

  void show_spectra(std::vector<SpectrumCurve> curves, const std::vector<SpectrumLimit>& limits);
  /// Instead of curves: why there are none.
  void say(const QString& why);
  void show_all();
  /// Rings where a figure was read.
  void show_marks(const std::vector<double>& frequencies);

  const std::vector<SpectrumTag>& tags() const { return tags_; }
  /// Of the last frame, for those that found a place.
  std::vector<QRectF> tag_boxes() const;
  /// A line's value as it is drawn.
  double value(const SpectrumCurve& curve, std::size_t line) const;
  /// The highest line of the first curve about a frequency, within some pixels; Hz.
  std::optional<double> peak_near(double frequency) const;

 private:
  class Tags;
  double drawn(const SpectrumCurve& curve, double power) const;
  void find_tags(const SpectrumCurve& curve);
  void label_axes();

  Form form_;
  std::vector<SpectrumCurve> curves_;
  std::vector<SpectrumTag> tags_;
  std::vector<std::unique_ptr<render::LongGraph>> graphs_;
  QList<QCPAbstractItem*> items_, marks_;
  Tags* tag_item_;
  QCPItemText* words_;
  QCPItemLine* floor_;
};

}  // namespace heron::app
