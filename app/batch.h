#pragma once
#include <QObject>
#include <optional>
#include <vector>

#include "runner.h"

namespace heron::app {

/// Runs studies on units, one take after another, and keeps in the dossier how far it came: what a stop, a failure or a
/// crash leaves can be gone on with. Units are put on the bench by a person, who says so.
class Batch : public QObject {
  Q_OBJECT

 public:
  Batch(Document* document, Runner* runner, Messages* messages, QObject* parent = nullptr);

  enum class State {
    none,        ///< no row of takes, or one that came to its end
    left,        ///< some are still to be made, and nothing runs
    wants_unit,  ///< the next is of a unit that nobody has put on the bench yet
    wants_arm,   ///< the next can harm: it is armed by hand
    armed,
    runs
  };
  State state() const { return state_; }
  /// Waits for a person, or runs.
  bool active() const { return state_ != State::none && state_ != State::left; }
  const std::vector<dossier::QueueItem>& items() const { return items_; }
  const dossier::QueueItem* next() const;
  int done() const;
  /// On a real bench, of all that is still to be made.
  double seconds_left() const;
  /// What is to be done or is being done, in a sentence.
  QString sentence() const;

  /// A new row: every study on every unit, unit after unit. @return why not; empty when it waits for the first unit
  QString begin(const std::vector<std::pair<long long, long long>>& unit_and_study);
  /// What was left, with this unit on the bench.
  QString resume(long long unit_on_bench);
  /// The person has done what is asked for.
  void confirm();
  /// What was armed is so no longer; it is asked for again.
  void disarm();
  /// Leaves out what is next.
  void skip();
  /// Stops the take that runs, and the row; what was not made can be resumed.
  void stop();
  /// The row is put away.
  void forget();
  /// Seconds that one take of a study lasts on a real bench.
  double seconds(long long study) const;

 signals:
  void changed();

 private:
  dossier::QueueItem* at_hand();
  void go_on();
  void launch();
  void keep(const dossier::QueueItem& item);
  void ended(const Runner::Ended& ended);
  void reread();
  void settle(State state);
  QString unit_name(long long unit) const;
  QString study_name(long long study) const;

  Document* document_;
  Runner* runner_;
  Messages* messages_;
  std::vector<dossier::QueueItem> items_;
  State state_ = State::none;
  std::optional<long long> on_bench_;  ///< the unit that a person said is there
  bool stopping_ = false;
};

}  // namespace heron::app
