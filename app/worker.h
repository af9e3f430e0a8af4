#pragma once
#include <QObject>
#include <condition_variable>
#include <deque>
#include <functional>
#include <memory>
#include <mutex>
#include <optional>
#include <thread>
#include <utility>

namespace heron::app {

/// Runs `call` in the thread of `receiver`, in its turn; not at all where that is gone by then. What the call holds goes
/// through a lock of our own: a sanitizer that does not see into Qt sees the hand-over.
template <class Call>
void hand_back(QObject* receiver, Call call) {
  struct Box {
    std::mutex mutex;
    std::optional<Call> call;
  };
  auto box = std::make_shared<Box>();
  {
    const std::lock_guard lock(box->mutex);
    box->call.emplace(std::move(call));
  }
  QMetaObject::invokeMethod(
      receiver,
      [box = std::move(box)] {
        std::optional<Call> taken;
        {
          const std::lock_guard lock(box->mutex);
          taken.emplace(std::move(*box->call));
        }
        (*taken)();
      },
      Qt::QueuedConnection);
}

/// A thread that does one piece of work after another. What has not begun when it ends is left out.
class Worker {
 public:
  ~Worker() { finish(); }

  void start(std::function<void()> work) { put(std::move(work), false); }
  /// Before all that waits.
  void start_first(std::function<void()> work) { put(std::move(work), true); }
  /// What has not begun is left out.
  void clear() {
    std::deque<std::function<void()>> dropped;
    const std::lock_guard lock(mutex_);
    dropped.swap(waiting_);
  }
  /// Waits for what has begun; nothing more begins.
  void finish() {
    clear();
    if (!thread_.joinable()) return;
    thread_.request_stop();
    thread_.join();
  }

 private:
  void put(std::function<void()> work, bool first) {
    if (!thread_.joinable()) thread_ = std::jthread([this](std::stop_token stop) { run(stop); });
    {
      const std::lock_guard lock(mutex_);
      waiting_.insert(first ? waiting_.begin() : waiting_.end(), std::move(work));
    }
    came_.notify_one();
  }
  void run(std::stop_token stop) {
    while (true) {
      std::function<void()> work;
      {
        std::unique_lock lock(mutex_);
        if (!came_.wait(lock, stop, [this] { return !waiting_.empty(); })) return;
        if (stop.stop_requested()) return;
        work = std::move(waiting_.front());
        waiting_.pop_front();
      }
      work();
    }
  }

  std::mutex mutex_;
  std::condition_variable_any came_;
  std::deque<std::function<void()>> waiting_;
  std::jthread thread_;
};

}  // namespace heron::app
