#pragma once
#include <QObject>
#include <atomic>
#include <utility>

#include "worker.h"

namespace heron::app {

/// Something that is worked out beside the window's thread for what is being looked at. The newest question wins: an
/// earlier one that has not begun is left out, and its answer, where it has, is not heard.
class Aside : public QObject {
  Q_OBJECT

 public:
  explicit Aside(QObject* parent) : QObject(parent) {}
  ~Aside() override {
    drop();
    worker_.finish();
  }

  /// @param work   runs in a thread of its own and holds all that it needs
  /// @param heard  is given what `work` returns, in the window's thread
  template <class Work, class Heard>
  void ask(Work work, Heard heard) {
    drop();
    worker_.start([this, question = int(question_), work = std::move(work), heard = std::move(heard)] {
      if (question != question_) return;
      hand_back(this, [this, question, heard, answer = work()] {
        if (question == question_) heard(answer);
      });
    });
  }
  /// What was asked is no longer wanted.
  void drop() {
    ++question_;
    worker_.clear();
  }

 private:
  std::atomic<int> question_ = 0;
  Worker worker_;
};

}  // namespace heron::app
