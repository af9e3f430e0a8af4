#pragma once
#include <QDateTime>
#include <QList>
#include <QObject>
#include <QString>

namespace heron::app {

/// What the program has to say: each word belongs to the study it is about, and stays findable.
class Messages : public QObject {
  Q_OBJECT

 public:
  struct Message {
    QString text;
    bool trouble = false;
    long long study = 0;  ///< 0: about no study
    QDateTime at;
  };

  using QObject::QObject;

  void say(const QString& text, bool trouble, long long study = 0);
  /// Says it where there is something to say: what an edit came to.
  void say_trouble(const QString& text, long long study = 0) {
    if (!text.isEmpty()) say(text, true, study);
  }
  /// Oldest first; the last hundred.
  const QList<Message>& all() const { return all_; }

 signals:
  void said(const Messages::Message& message);

 private:
  QList<Message> all_;
};

}  // namespace heron::app
