#pragma once
#include <memory>

#include "record_take_lens.h"
#include "render/plot_parts.h"

namespace heron::app {

/// What is drawn when it is switched on: the current with its highest and lowest, its rms in a sliding half cycle, where it has
/// settled; beside it what a fuse bears against what it carries, where its points are set.
class InrushLens : public RecordTakeLens {
  Q_OBJECT

 public:
  explicit InrushLens(Desk* desk, QWidget* parent = nullptr);
  ~InrushLens() override;
  QList<CursorCard> cards() const override { return cards_; }
  QStringList marks() const;

 protected:
  QString lacks(const study::power::PowerRecord& record) const override;
  void draw() override;
  void clear() override;
  void frame() override;

 private:
  void mark(double time, double value, const QString& label, bool above);
  void draw_fuse(const study::power::Inrush& inrush);

  QCPAxisRect *over_time_, *fuse_;
  std::unique_ptr<render::LongGraph> current_, rms_;
  std::vector<std::unique_ptr<render::LongGraph>> others_;  ///< of other takes
  QCPGraph *bears_, *carries_;
  QList<QCPAbstractItem*> items_;
  QList<QCPItemText*> labels_;
  std::size_t phase_ = 0;
  QList<CursorCard> cards_;
};

}  // namespace heron::app
