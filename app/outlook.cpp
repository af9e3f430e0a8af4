#include "outlook.h"

#include <QTimer>

#include "study/preflight.h"

namespace heron::app {

Outlook::Outlook(Focus* focus, Messages* messages, QObject* parent)
    : QObject(parent), focus_(focus), messages_(messages) {
  connect(focus_, &Focus::plan_changed, this, &Outlook::ask);
  connect(focus_, &Focus::device_changed, this, &Outlook::ask);
  // A take may have left a watch that holds, or a person released it.
  connect(focus_, &Focus::takes_changed, this, [this] {
    find();
    emit levels_changed();
  });
}

Outlook::~Outlook() {
  ++question_;
  expecting_.request_stop();
  thinker_.finish();
}

void Outlook::ask() {
  const int asked = ++question_;
  levels_.reset();
  accepted_.clear();
  find();
  expecting_.request_stop();
  expecting_ = {};
  if (std::exchange(expected_, nullptr)) emit expected_changed();
  const auto plan = focus_->plan();
  if (!plan) return;
  thinker_.start([this, asked, plan, around = focus_->surroundings()] {
    if (asked != question_) return;
    auto levels = plan->predict(around);
    if (!levels) return;
    hand_back(this, [this, asked, levels = std::move(levels)] {
      if (asked != question_) return;
      levels_ = levels;
      find();
      emit levels_changed();
    });
  });
  // After the first paint: what was measured comes first.
  constexpr int kPatience = 120;  // ms
  QTimer::singleShot(kPatience, this, [this, asked] {
    if (asked == question_) expect();
  });
}

void Outlook::find() {
  const auto plan = focus_->plan();
  findings_ = plan ? plan->preflight(focus_->surroundings(), levels_ ? &*levels_ : nullptr) : std::vector<study::Doubt>{};
  const auto held = run::held_findings(focus_->held());
  findings_.insert(findings_.begin(), held.begin(), held.end());
}

void Outlook::expect() {
  thinker_.start([this, asked = int(question_), plan = focus_->plan(), around = focus_->surroundings(),
                  study = focus_->study_id(), stop = expecting_.get_token()] {
    if (!plan || stop.stop_requested()) return;
    auto curve = plan->expected(around, stop);
    hand_back(this, [this, asked, study, curve = std::move(curve)] {
      if (asked != question_) return;
      if (!curve) return messages_->say(QString::fromStdString(curve.error().message), true, study);
      expected_ = *curve;
      if (expected_) emit expected_changed();
    });
  });
}

void Outlook::accept(const std::string& key) {
  accepted_.insert(key);
  emit levels_changed();
}

QString Outlook::refusal() const {
  const auto refused = study::refusal(findings_, accepted_);
  return refused ? QString::fromStdString(refused->message) : QString();
}

}  // namespace heron::app
