#pragma once
#include <memory>

#include "record_take_lens.h"
#include "render/plot_parts.h"

namespace heron::app {

/// A small current over decades: over time, beside it the share of time at each current, states named; the charge so far on
/// wish; one wake enlarged.
class ProfileLens : public RecordTakeLens {
  Q_OBJECT

 public:
  explicit ProfileLens(Desk* desk, QWidget* parent = nullptr);
  ~ProfileLens() override;
  bool handle_key(int key) override;
  QStringList states() const;
  int wake() const { return wake_; }

 protected:
  QString lacks(const study::power::PowerRecord& record) const override;
  void draw() override;
  void clear() override;
  void frame() override;

 private:
  void draw_beside(double least);

  QCPAxisRect *over_time_, *shares_;
  QCPAxis* charge_axis_;
  std::unique_ptr<render::LongGraph> current_, smooth_, charge_;
  std::vector<std::unique_ptr<render::LongGraph>> others_;  ///< of other takes
  QList<QCPCurve*> other_shares_;
  QCPCurve* share_;
  QList<QCPAbstractItem*> items_;
  QList<QCPItemText*> labels_;
  bool shows_charge_ = false;
  int wake_ = -1;  ///< enlarged; -1: all of it
  double lowest_ = 1e-9, highest_ = 1, start_ = 0, seconds_ = 1, step_ = 1;
  std::vector<study::power::Wake> wakes_;
};

}  // namespace heron::app
