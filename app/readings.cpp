#include "readings.h"

#include <algorithm>

#include "run/kept.h"

namespace heron::app {
namespace {

constexpr std::size_t kMostBytes = std::size_t(512) << 20;

std::size_t bytes_of(const TakeView& view) { return sizeof view + (view.reduced ? view.reduced->bytes() : 0); }

}  // namespace

/// Reads one dossier, in the reading thread alone.
class Readings::Reader {
 public:
  /// @param damaged  the file cannot be trusted, or not be written to
  Reader(std::string path, bool damaged) : path_(std::move(path)), damaged_(damaged) {}

  /// @param before  what it came to with other settings or claims; null where it was not read
  TakeViewPtr read(const dossier::Study& study, long long id, const TakeViewPtr& before) {
    auto view = std::make_shared<TakeView>();
    view->take.id = id;
    view->read_with = study.settings;
    const auto troubled = [&](const Error& e) {
      view->trouble = QString::fromStdString(e.message);
      return view;
    };
    if (auto ok = open(); !ok) return troubled(ok.error());
    const auto take = store_->take(id);
    if (!take) return troubled(take.error());
    view->take = *take;
    if (take->points > 0) {
      // Where only claims changed, no record is opened again.
      const bool again = before && before->reduced && before->read_with == study.settings &&
                         before->take.points == take->points && before->take.state == take->state;
      const run::ReadTake known = again ? run::ReadTake{.reduced = before->reduced, .analysis = {}, .damaged = before->damaged}
                                        : run::ReadTake{};
      auto one = run::read_and_keep(*store_, study, *take, again ? &known : nullptr);
      if (!one) return troubled(one.error());
      view->reduced = std::move(one->reduced);
      view->small = view->reduced->small();
      view->analysis = std::move(one->analysis);
      view->damaged = one->damaged;
    }
    auto lines = run::judge_take(*store_, study, &*take, view->damaged, take->points > 0 ? &view->analysis : nullptr);
    if (!lines) return troubled(lines.error());
    view->lines = std::move(*lines);
    return view;
  }

  /// Null where nothing is kept that still holds.
  TakeViewPtr kept(const dossier::Study& study, long long id) {
    if (!open()) return nullptr;
    const auto take = store_->take(id);
    if (!take) return nullptr;
    auto known = run::kept_reading(*store_, study, *take);
    if (!known) return nullptr;
    auto lines = run::judge_kept(*store_, study, *take, *known);
    if (!lines) return nullptr;
    auto view = std::make_shared<TakeView>();
    view->take = *take;
    view->small = std::move(known->small);
    view->analysis.reading = std::move(known->reading);
    view->analysis.settings = std::move(known->settings);
    view->lines = std::move(*lines);
    view->read_with = study.settings;
    view->damaged = known->damaged;
    return view;
  }

 private:
  Result<void> open() {
    if (store_) return {};
    auto store = damaged_ ? dossier::Store::open(path_) : dossier::Store::open_again(path_);
    if (!store) return tl::unexpected(store.error());
    store_ = std::move(*store);
    return {};
  }

  std::string path_;
  bool damaged_;
  std::optional<dossier::Store> store_;
};

Readings::Readings(Document* document, Focus* focus, QObject* parent)
    : QObject(parent), document_(document), focus_(focus) {
  connect(document_, &Document::closing, this, [this] {
    ++generation_;
    views_.clear();
    kept_.clear();
    stale_.clear();
    kept_asked_.clear();
    kept_waiting_.clear();
    source_.reset();
    used_.clear();
    bytes_ = 0;
    asked_.clear();
    reading_.reset();
    live_.reset();
  });
  connect(document_, &Document::outdated, this, &Readings::forget_study);
  connect(document_, &Document::opened, this, [this] {
    source_ = std::make_shared<Reader>(document_->path().toStdString(), document_->read_only());
    std::vector<Asked> all;
    for (const auto& study : document_->studies())
      if (const auto take = newest(study.id); take != 0) all.push_back({study.id, take});
    ask_kept(std::move(all));
  });
}

Readings::~Readings() {
  ++generation_;
  reader_.finish();
}

void Readings::forget_study(long long study) {
  ++generation_;
  reading_.reset();
  stale_.clear();
  // A running take is still shown as it comes; it is judged anew when it has ended.
  for (const auto& take : document_->takes(study)) {
    if (take.id == live_) continue;
    if (in_view(take.id))
      if (const auto it = views_.find(take.id); it != views_.end()) stale_[take.id] = *it;
    forget(take.id);
  }
}

void Readings::forget(long long take) {
  kept_.remove(take);
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
  for (auto it = used_.begin(); it != used_.end() && bytes_ > kMostBytes;) {
    const auto id = *it++;
    if (!in_view(id) && id != live_) forget(id);
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
        reader_.start([this, next, study = *study, generation = generation_, source = source_,
                       before = stale_.take(next.take)] {
          auto view = source->read(study, next.take, before);
          hand_back(this, [this, view, next, generation] {
            if (generation == generation_) {
              reading_.reset();
              keep(next.take, view);
              emit take_read(next.take);
            }
            start_next();
          });
        });
      },
      Qt::QueuedConnection);
}

TakeViewPtr Readings::view(long long take) {
  if (const auto it = views_.find(take); it != views_.end()) return *it;
  if (focus_->study()) request(focus_->study_id(), take, in_view(take));
  return nullptr;
}

TakeViewPtr Readings::card(long long take) {
  if (!focus_->study()) return nullptr;
  if (in_view(take))
    if (auto whole = view(take)) return whole;
  return kept(focus_->study_id(), take);
}

bool Readings::in_view(long long take) const {
  return take == focus_->shown() || take == focus_->wake() || focus_->overlaid().contains(take);
}

TakeViewPtr Readings::kept(long long study, long long take) {
  if (const auto it = views_.find(take); it != views_.end()) return *it;
  const auto it = kept_.find(take);
  if (it == kept_.end())
    ask_kept({{study, take}});
  else if (*it)
    return *it;
  else
    request(study, take, false);
  return nullptr;
}

void Readings::ask_kept(std::vector<Asked> takes) {
  std::erase_if(takes, [&](const Asked& a) { return a.take == live_ || kept_waiting_.contains(a.take); });
  if (takes.empty()) return;
  for (const auto& one : takes) kept_waiting_.insert(one.take);
  const bool later = !kept_asked_.empty();
  kept_asked_.insert(kept_asked_.end(), takes.begin(), takes.end());
  if (later) return;
  // Whatever else is asked for within this turn of the event loop is read in one go.
  QMetaObject::invokeMethod(
      this,
      [this] {
        std::vector<std::pair<dossier::Study, long long>> wanted;
        for (const auto& one : std::exchange(kept_asked_, {}))
          if (const auto* study = document_->study(one.study)) wanted.emplace_back(*study, one.take);
        if (wanted.empty() || !source_) return;
        reader_.start_first([this, wanted = std::move(wanted), generation = generation_, source = source_] {
          std::vector<std::pair<long long, TakeViewPtr>> found;
          for (const auto& [study, take] : wanted) found.emplace_back(take, source->kept(study, take));
          hand_back(this, [this, found = std::move(found), generation] {
            for (const auto& [take, view] : found) {
              kept_waiting_.remove(take);
              if (generation == generation_) kept_[take] = view;
            }
            emit kept_read();
          });
        });
      },
      Qt::QueuedConnection);
}

long long Readings::newest(long long study) {
  const dossier::Take* newest = nullptr;
  for (const auto& take : document_->takes(study))
    if (take.judges() && (!newest || take.newer_than(*newest))) newest = &take;
  return newest ? newest->id : 0;
}

bool Readings::has_judged(long long study) { return newest(study) != 0; }

TakeViewPtr Readings::judged(long long study) {
  if (study == focus_->study_id() && focus_->shown()) {
    // What is in view is judged, unless it was laid aside: then the newest that was not.
    const auto* take = document_->take(study, *focus_->shown());
    if (take && !take->aside) {
      if (auto whole = view(*focus_->shown())) return whole;
      return kept(study, *focus_->shown());
    }
  }
  const auto take = newest(study);
  return take == 0 ? nullptr : kept(study, take);
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
