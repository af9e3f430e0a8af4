#pragma once
#include <memory>

#include "point_take_lens.h"
#include "render/plot_parts.h"

namespace heron::app {

/// How often each code of a converter came against what an ideal one would give, and how wide that makes each.
class CodesLens : public PointTakeLens {
  Q_OBJECT

 public:
  explicit CodesLens(Desk* desk, QWidget* parent = nullptr);
  ~CodesLens() override;

 protected:
  void prepare(const TakeViewPtr& view) override;
  void clear() override;
  void frame() override;
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  void draw();
  void drop_graphs();

  QCPAxisRect *hits_, *widths_, *transitions_;
  std::vector<std::unique_ptr<render::LongGraph>> graphs_;
  PointOf shown_;
  std::size_t at_ = 0;  ///< of the quantity that is drawn
  QColor ink_;
};

}  // namespace heron::app
