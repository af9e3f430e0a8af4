#pragma once
#include <QObject>
#include <atomic>
#include <set>

#include "focus.h"
#include "study/expected.h"
#include "worker.h"

namespace heron::app {

/// What is to be expected of the study in view before it is taken: levels, findings of preflight, the expected curve.
/// Worked out beside the window's thread; the newest question wins.
class Outlook : public QObject {
  Q_OBJECT

 public:
  Outlook(Focus* focus, Messages* messages, QObject* parent = nullptr);
  ~Outlook() override;

  /// What the circuit should show under the present plan; nothing where it cannot say or is still being asked.
  const std::optional<bench::Levels>& levels() const { return levels_; }
  const std::vector<study::Doubt>& findings() const { return findings_; }
  /// Serious findings that the user takes upon herself, until the plan changes.
  const std::set<std::string>& accepted() const { return accepted_; }
  void accept(const std::string& key);
  /// Why the study cannot be taken; empty where it can.
  QString refusal() const;
  /// What the circuit or the study's formula expects; null until worked out, or where nothing can be expected.
  study::ExpectedPtr expected() const { return expected_; }

 signals:
  void levels_changed();
  void expected_changed();

 private:
  void ask();
  void find();
  void expect();

  Focus* focus_;
  Messages* messages_;
  std::optional<bench::Levels> levels_;
  std::vector<study::Doubt> findings_;
  std::set<std::string> accepted_;
  study::ExpectedPtr expected_;
  std::atomic<int> question_ = 0;
  std::stop_source expecting_;
  Worker thinker_;
};

}  // namespace heron::app
