#pragma once
#include <QObject>
#include <thread>

#include "document.h"
#include "messages.h"

namespace heron::app {

/// Writes the files of a take beside the window's thread, one take at a time.
class Exporter : public QObject {
  Q_OBJECT

 public:
  Exporter(Document* document, Messages* messages, QObject* parent = nullptr);

  bool writing() const { return worker_.joinable(); }
  /// What came of it is said, as is why it cannot begin.
  void write(long long study, long long take, const QString& folder);
  /// What was written by then stays.
  void stop() { worker_.request_stop(); }

 signals:
  void finished();

 private:
  Document* document_;
  Messages* messages_;
  std::jthread worker_;
};

}  // namespace heron::app
