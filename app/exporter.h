#pragma once
#include <QObject>
#include <thread>
#include <vector>

#include "document.h"
#include "exchange/writers.h"
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
  /// Quantities over a part of their time, as one table.
  void write_part(long long study, std::vector<study::TracePtr> traces, double from, double to, const QString& path);
  /// What was written by then stays.
  void stop() { worker_.request_stop(); }

 signals:
  void begun();
  void progressed(double share);
  void finished();

 private:
  /// Writes beside the window's thread: `work(stop, told)` gives what is said when it is over.
  using Work = std::function<Result<QString>(std::stop_token, const exchange::Share&)>;
  void begin(long long study, const QString& said, Work work);

  Document* document_;
  Messages* messages_;
  std::jthread worker_;
};

}  // namespace heron::app
