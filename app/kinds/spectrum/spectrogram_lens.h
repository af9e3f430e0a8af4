#pragma once
#include <memory>

#include "point_take_lens.h"
#include "study/spectrum/spectrogram.h"

namespace heron::app {

/// How the spectrum of a record changes along it. Lightness alone tells how much there is; its scale stands beside.
class SpectrogramLens : public PointTakeLens {
  Q_OBJECT

 public:
  explicit SpectrogramLens(Desk* desk, QWidget* parent = nullptr);
  const study::spectrum::Spectrogram* shown() const { return shown_.get(); }

 protected:
  void prepare(const TakeViewPtr& view) override;
  void clear() override;
  void frame() override;
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  struct Ready {
    PointOf point;
    std::size_t quantity = 0;
    std::shared_ptr<const study::spectrum::Spectrogram> cells;
    QString trouble;
  };
  void draw(const Ready& ready);

  QCPColorMap* map_;
  QCPColorScale* scale_;
  std::shared_ptr<const study::spectrum::Spectrogram> shown_;
  std::string unit_;  ///< of its levels
  int finer_ = 0;     ///< times that lines are asked to lie at half their distance; below zero farther apart
  QColor ink_;
};

}  // namespace heron::app
