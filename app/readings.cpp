#include "readings.h"

#include <algorithm>

namespace heron::app {
namespace {

constexpr std::size_t kMostBytes = std::size_t(512) << 20;

std::size_t bytes_of(const TakeView& view) { return sizeof view + (view.reduced ? view.reduced->bytes() : 0); }

TakeViewPtr read(const std::string& path, const dossier::Study& study, long long id) {
  auto view = std::make_shared<TakeView>();
  view->take.id = id;
  const auto troubled = [&](const Error& e) {
    view->trouble = QString::fromStdString(e.message);
    return view;
  };
  auto store = dossier::Store::open(path);
  if (!store) return troubled(store.error());
  const auto take = store->take(id);
  if (!take) return troubled(take.error());
  view->take = *take;
  if (take->points > 0) {
    auto one = run::read_take(*store, study, *take);
    if (!one) return troubled(one.error());
    view->reduced = std::move(one->reduced);
    view->small = view->reduced->small();
    view->analysis = std::move(one->analysis);
  }
  auto lines = run::judge_take(*store, study, &*take, take->points > 0 ? &view->analysis : nullptr);
  if (!lines) return troubled(lines.error());
  view->lines = std::move(*lines);
  return view;
}

}  // namespace

Readings::Readings(Document* document, Focus* focus, QObject* parent)
    : QObject(parent), document_(document), focus_(focus) {
  reader_.setMaxThreadCount(1);
  connect(document_, &Document::closing, this, [this] {
    ++generation_;
    views_.clear();
    used_.clear();
    bytes_ = 0;
    asked_.clear();
    reading_.reset();
    live_.reset();
  });
  connect(document_, &Document::outdated, this, &Readings::forget_study);
}

Readings::~Readings() {
  ++generation_;
  reader_.clear();
  reader_.waitForDone();
}

void Readings::forget_study(long long study) {
  ++generation_;
  reading_.reset();
  // A running take is still shown as it comes; it is judged anew when it has ended.
  for (const auto& take : document_->takes(study))
    if (take.id != live_) forget(take.id);
}

void Readings::forget(long long take) {
  if (const auto view = views_.take(take)) {
    bytes_ -= bytes_of(*view);
    used_.remove(take);
  }
  asked_.remove_if([&](const Asked& a) { return a.take == take; });
  if (live_ == take) live_.reset();
  if (reading_ && reading_->take == take) {
    // What is being read of it is older than what it is now.
    ++generation_;
    reading_.reset();
    start_next();
  }
}

void Readings::keep(long long take, TakeViewPtr view) {
  if (const auto before = views_.value(take)) {
    bytes_ -= bytes_of(*before);
    used_.remove(take);
  }
  bytes_ += bytes_of(*view);
  views_[take] = std::move(view);
  used_.push_back(take);
  const auto in_view = [&](long long id) {
    return id == focus_->shown() || id == focus_->wake() || focus_->overlaid().contains(id) || id == live_;
  };
  for (auto it = used_.begin(); it != used_.end() && bytes_ > kMostBytes;) {
    const auto id = *it++;
    if (!in_view(id)) forget(id);
  }
}

void Readings::request(long long study, long long take, bool first) {
  if (take == live_ || (reading_ && reading_->take == take)) return;
  const auto it = std::find_if(asked_.begin(), asked_.end(), [&](const Asked& a) { return a.take == take; });
  if (it != asked_.end()) {
    // What is in view overtakes what was only asked for by the ledger.
    if (first) asked_.splice(asked_.begin(), asked_, it);
    return;
  }
  asked_.insert(first ? asked_.begin() : asked_.end(), Asked{study, take});
  start_next();
}

void Readings::start_next() {
  if (reading_ || asked_.empty()) return;
  // Within this turn of the event loop something more urgent may still be asked for.
  QMetaObject::invokeMethod(
      this,
      [this] {
        if (reading_ || asked_.empty()) return;
        const auto next = asked_.front();
        asked_.pop_front();
        const auto* study = document_->study(next.study);
        if (!study) return start_next();
        reading_ = next;
        reader_.start([this, next, study = *study, generation = generation_, path = document_->path().toStdString()] {
          auto view = read(path, study, next.take);
          QMetaObject::invokeMethod(
              this,
              [this, view, next, generation] {
                if (generation == generation_) {
                  reading_.reset();
                  keep(next.take, view);
                  emit take_read(next.take);
                }
                start_next();
              },
              Qt::QueuedConnection);
        });
      },
      Qt::QueuedConnection);
}

TakeViewPtr Readings::view(long long take) {
  if (const auto it = views_.find(take); it != views_.end()) return *it;
  const bool in_view = take == focus_->shown() || take == focus_->wake() || focus_->overlaid().contains(take);
  if (focus_->study()) request(focus_->study_id(), take, in_view);
  return nullptr;
}

long long Readings::newest(long long study) {
  long long out = 0;
  for (const auto& take : document_->takes(study))
    if (take.points > 0 && take.purpose.empty() && !take.aside) out = take.id;
  return out;
}

bool Readings::has_judged(long long study) { return newest(study) != 0; }

TakeViewPtr Readings::judged(long long study) {
  if (study == focus_->study_id() && focus_->shown()) {
    // What is in view is judged, unless it was laid aside: then the newest that was not.
    const auto* take = document_->take(study, *focus_->shown());
    if (take && !take->aside) return view(*focus_->shown());
  }
  const auto take = newest(study);
  if (take == 0) return nullptr;
  if (const auto it = views_.find(take); it != views_.end()) return *it;
  request(study, take, false);
  return nullptr;
}

void Readings::begin_live(long long take) {
  forget(take);
  live_ = take;
}

void Readings::show_live(TakeViewPtr view) {
  live_ = view->take.id;
  keep(view->take.id, view);
  emit live_changed();
}

}  // namespace heron::app
