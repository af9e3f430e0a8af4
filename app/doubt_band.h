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

 signals:
  void hookup_asked();

 private:
  void rebuild();
  void add_line(const QString& lead, const study::Doubt& doubt, bool before = false);

  Desk* desk_;
};

}  // namespace heron::app
