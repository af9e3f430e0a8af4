#include "messages.h"

namespace heron::app {

void Messages::say(const QString& text, bool trouble, long long study) {
  constexpr qsizetype kMost = 100;
  all_ << Message{text, trouble, study, QDateTime::currentDateTime()};
  if (all_.size() > kMost) all_.removeFirst();
  emit said(all_.last());
}

}  // namespace heron::app
