#pragma once
#include "app/lenses/over_time_lens.h"
#include "conversion_kind_view.h"

namespace heron::app {

/// Samples over time: of a record in which line or load steps, with the parts that are averaged drawn as bars and what they
/// differ by said beside; of a point those that it was read from, or how it went while the point was waited for.
class PlateausLens : public OverTimeLens {
  Q_OBJECT

 public:
  explicit PlateausLens(Desk* desk, QWidget* parent = nullptr);

  /// Names of what is drawn.
  QStringList names() const;
  int bars() const { return int(bars_.size()); }

 protected:
  void renew() override;
  std::vector<int> points() const override;

 private:
  struct Choice {
    study::WaveformsPtr record;
    const study::conversion::SteppedRecord* stepped = nullptr;
    const study::conversion::Evidence* evidence = nullptr;  ///< of a point
    int point = 0;
    QString words;
  };
  std::vector<Choice> choices(const study::conversion::ReducedConversion& reduced) const;
  void tell(const Choice& one);
  void tell_way(const study::conversion::Evidence& evidence);
  void add_bar(QCPAxisRect* panel, double from, double to, double at);

  QList<QCPAbstractItem*> bars_;
  QString said_;
  bool way_ = false;        ///< how a point was waited for is wanted, instead of its samples
  bool shows_way_ = false;  ///< and is there, or all that is
};

}  // namespace heron::app
