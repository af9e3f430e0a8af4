#include "batch.h"

#include "app/text.h"
#include "base/quantity.h"

namespace heron::app {

using dossier::QueueState;

Batch::Batch(Document* document, Runner* runner, Messages* messages, QObject* parent)
    : QObject(parent), document_(document), runner_(runner), messages_(messages) {
  connect(document_, &Document::opened, this, &Batch::reread);
  connect(runner_, &Runner::ended, this, &Batch::ended);
}

QString Batch::unit_name(long long id) const {
  for (const auto& unit : document_->units(dossier::kMainAssembly))
    if (unit.id == id) return text(unit.name);
  return "a unit that is gone";
}

QString Batch::study_name(long long id) const {
  const auto* study = document_->study(id);
  return study ? text(study->name) : QString("a study that is gone");
}

/// What a program that died left as running was not made.
void Batch::reread() {
  items_ = document_->queue();
  on_bench_.reset();
  stopping_ = false;
  for (auto& item : items_)
    if (item.state == QueueState::running) {
      item.state = QueueState::waiting;
      keep(item);
    }
  settle(next() ? State::left : State::none);
}

void Batch::settle(State state) {
  state_ = state;
  emit changed();
}

dossier::QueueItem* Batch::at_hand() {
  for (auto& item : items_)
    if (item.state == QueueState::waiting || item.state == QueueState::running) return &item;
  return nullptr;
}

const dossier::QueueItem* Batch::next() const { return const_cast<Batch*>(this)->at_hand(); }

int Batch::done() const {
  return int(std::count_if(items_.begin(), items_.end(), [](const auto& item) { return item.state == QueueState::done || item.state == QueueState::failed; }));
}

double Batch::seconds(long long id) const {
  const auto* study = document_->study(id);
  const auto plan = study ? document_->plan(id) : nullptr;
  return plan ? plan->seconds(document_->device(study->assembly)->limits) : 0;
}

double Batch::seconds_left() const {
  double out = 0;
  for (const auto& item : items_) {
    if (item.state == QueueState::waiting) out += seconds(item.study);
    if (item.state == QueueState::running) out += runner_->progress().bench_seconds_left;
  }
  return out;
}

QString Batch::sentence() const {
  const auto* item = next();
  const QString which = item ? study_name(item->study) + " on " + unit_name(item->unit) : QString();
  const QString left = text(format_duration(seconds_left()));
  const int failed = int(std::count_if(items_.begin(), items_.end(), [](const auto& one) { return one.state == QueueState::failed; }));
  switch (state_) {
    case State::none:
      if (items_.empty()) return {};
      return failed == 0 ? QString("All %1 takes are made.").arg(items_.size())
                         : QString("%1 of %2 takes are made; %3 could not be, each says why.").arg(int(items_.size()) - failed).arg(items_.size()).arg(failed);
    case State::left:
      return QString("%1 of %2 takes are still to be made, about %3 on a real bench. Next is %4. Say which unit is on the bench now, and go on.")
          .arg(int(items_.size()) - done()).arg(items_.size()).arg(left, which);
    case State::wants_unit:
      return QString("Put %1 on the bench, then Space.").arg(unit_name(item->unit));
    case State::wants_arm:
      return QString("%1 arms %2. Space arms it for this one take; S leaves it out.").arg(which, text(document_->plan(item->study)->arms()));
    case State::armed:
      return QString("Armed for %1. Space fires; nobody touches the board.").arg(which);
    case State::runs:
      return QString("Take %1 of %2: %3. About %4 left on a real bench. Esc stops.").arg(done() + 1).arg(items_.size()).arg(which, left);
  }
  return {};
}

QString Batch::begin(const std::vector<std::pair<long long, long long>>& unit_and_study) {
  if (active()) return "A row of takes is being made already.";
  if (runner_->running()) return "The bench is in use; stop the take first.";
  if (document_->read_only()) return "The dossier is open for reading only.";
  if (unit_and_study.empty()) return "Nothing is ticked.";
  std::vector<dossier::QueueItem> items;
  for (const auto& [unit, study] : unit_and_study) items.push_back({.unit = unit, .study = study});
  if (const QString trouble = document_->set_queue(items); !trouble.isEmpty()) return trouble;
  items_ = document_->queue();
  on_bench_.reset();
  stopping_ = false;
  go_on();
  return {};
}

QString Batch::resume(long long unit_on_bench) {
  if (state_ != State::left) return "Nothing was left.";
  if (runner_->running()) return "The bench is in use; stop the take first.";
  stopping_ = false;
  on_bench_ = unit_on_bench;
  document_->put_on_bench(unit_on_bench);
  go_on();
  return {};
}

void Batch::go_on() {
  const auto* item = next();
  if (!item) {
    settle(State::none);
    messages_->say(sentence(), false);
    return;
  }
  if (on_bench_ != item->unit) return settle(State::wants_unit);
  const auto plan = document_->plan(item->study);
  if (plan && !plan->arms().empty()) return settle(State::wants_arm);
  launch();
}

void Batch::confirm() {
  if (state_ == State::wants_unit) {
    on_bench_ = next()->unit;
    document_->put_on_bench(*on_bench_);
    go_on();
  } else if (state_ == State::wants_arm) {
    settle(State::armed);
  } else if (state_ == State::armed) {
    launch();
  }
}

void Batch::disarm() {
  if (state_ == State::armed) settle(State::wants_arm);
}

void Batch::launch() {
  auto* item = at_hand();
  if (const QString refused = runner_->start_of(item->study); !refused.isEmpty()) {
    item->state = QueueState::failed;
    item->said = refused.toStdString();
    keep(*item);
    go_on();
    return;
  }
  item->state = QueueState::running;
  keep(*item);
  settle(State::runs);
}

void Batch::skip() {
  if (state_ != State::wants_unit && state_ != State::wants_arm && state_ != State::armed) return;
  auto* item = at_hand();
  // A unit that is not at hand is left out with all that was to be made on it.
  const auto unit = item->unit;
  const bool whole_unit = state_ == State::wants_unit;
  for (auto& one : items_)
    if (&one == item || (whole_unit && one.state == QueueState::waiting && one.unit == unit)) {
      one.state = QueueState::failed;
      one.said = "left out";
      keep(one);
    }
  go_on();
}

void Batch::stop() {
  if (state_ == State::runs) {
    stopping_ = true;
    runner_->stop();
  } else if (active()) {
    settle(State::left);
  }
}

void Batch::forget() {
  if (active()) return;
  items_.clear();
  messages_->say_trouble(document_->set_queue({}));
  settle(State::none);
}

void Batch::keep(const dossier::QueueItem& item) { messages_->say_trouble(document_->set_queue_item(item)); }

void Batch::ended(const Runner::Ended& ended) {
  if (state_ != State::runs) return;
  auto* item = at_hand();
  if (stopping_ || ended.stopped) {
    // What was stopped is made again; what it read so far stays among the takes.
    item->state = QueueState::waiting;
    keep(*item);
    stopping_ = false;
    settle(State::left);
    return;
  }
  item->take = ended.take;
  item->state = ended.trouble.isEmpty() ? QueueState::done : QueueState::failed;
  item->said = ended.trouble.toStdString();
  keep(*item);
  go_on();
}

}  // namespace heron::app
