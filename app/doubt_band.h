#pragma once
#include <QWidget>

#include "desk.h"

namespace heron::app {

/// What speaks against the take in view and against the next one: what, how much, and the remedy as a link that does
/// it.
class DoubtBand : public QWidget {
  Q_OBJECT

 public:
  explicit DoubtBand(Desk* desk, QWidget* parent = nullptr);
  /// There is little room: the first alone, the others one click away.
  void set_low(bool low);

 signals:
  void hookup_asked();

 private:
  struct Said {
    QString lead;
    study::Doubt doubt;
    bool before = false;  ///< a finding, which may be accepted

    bool operator==(const Said&) const = default;
  };
  std::vector<Said> to_say() const;
  void rebuild();
  void show_said();
  void add_line(const QString& lead, const study::Doubt& doubt, bool before);

  Desk* desk_;
  std::vector<Said> said_;
  study::PlanPtr plan_;
  bool low_ = false, opened_ = false;
};

}  // namespace heron::app
