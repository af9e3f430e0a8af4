#pragma once
#include <QObject>
#include <QTimer>

#include "document.h"
#include "focus.h"
#include "look.h"

namespace heron::app {

/// Keeps how each study is looked at with the study, and takes it up again when the study comes into view. Nothing is
/// written for a study that was merely looked at.
class KeptLook : public QObject {
  Q_OBJECT

 public:
  KeptLook(Document* document, Focus* focus, Look* look);
  ~KeptLook() override { write(); }

 private:
  void take_up();
  void note();
  void write();

  Document* document_;
  Focus* focus_;
  Look* look_;
  long long study_ = 0;
  const study::Kind* kind_ = nullptr;
  nlohmann::json known_;  ///< as the study has it
  QTimer soon_;           ///< a cursor that is dragged is written when it rests
};

}  // namespace heron::app
