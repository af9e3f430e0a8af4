#include <random>

#include "base/quantity.h"
#include "session.h"
#include "study/iv/brief.h"
#include "study/iv/reduce.h"
#include "study/iv/start_small.h"
#include "study/response/figures.h"

namespace heron::app {

QString Session::start(const std::string& purpose) {
  last_pass_.reset();
  slowing_.clear();
  if (!study()) return "There is no study to take yet.";
  if (running()) return "A take is running already.";
  if (store_->read_only()) return "The dossier is open for reading only.";
  if (const auto refused = study::refusal(preflight(), accepted_)) return QString::fromStdString(refused->message);
  launch({.accepted = accepted_, .purpose = purpose});
  return {};
}

QString Session::slow_until_closed() {
  if (!iv_plan_) return "Only a sweep of current and voltage is slowed down.";
  if (running()) return "A take is running already.";
  slowing_.clear();
  // The take in view is the first pass.
  if (const auto seen = shown_ ? view(*shown_) : nullptr; seen && seen->family)
    if (const auto loop = study::iv::widest_loop(*seen->family)) slowing_.push_back(study::iv::pass_of(*loop));
  if (slowing_.empty()) return "The take in view has no loop.";
  if (const QString trouble = edit_brief_words(study::iv::slowed(*iv_plan_, 4, limits_)); !trouble.isEmpty())
    return trouble;
  const auto passes = slowing_;
  const QString trouble = start();
  if (trouble.isEmpty()) {
    slowing_ = passes;
    slowing_study_ = study()->id;
  }
  return trouble;
}

/// After a pass: true when another one, slower still, has begun.
bool Session::slow_on() {
  constexpr std::size_t kMostPasses = 7;
  if (slowing_.empty() || !iv_plan_ || study()->id != slowing_study_) return false;
  const auto loop = live_family_ ? study::iv::widest_loop(*live_family_) : std::nullopt;
  if (!loop) {
    slowing_.clear();
    return false;
  }
  slowing_.push_back(study::iv::pass_of(*loop));
  const auto settings = study::iv::settings_from_text(study()->settings).value_or(study::iv::Settings{});
  if (study::iv::closing_of(slowing_, settings.loop_threshold) == study::iv::Closing::open &&
      slowing_.size() < kMostPasses)
    if (edit_brief_words(study::iv::slowed(*iv_plan_, 4, limits_)).isEmpty()) return true;
  emit said(QString::fromStdString(study::iv::closing_text(slowing_, settings.loop_threshold)), false);
  slowing_.clear();
  return false;
}

QString Session::start_small() {
  if (!iv_plan_) return "Only a sweep of current and voltage has a compliance to find.";
  if (running() || starting_small_) return "The bench is in use already.";
  starting_small_ = true;
  progress_ = {};
  emit running_changed();
  worker_ = std::jthread([this, plan = *iv_plan_, ratings = circuit_.ratings, path = store_->path(), at = assembly(),
                          name = paced_ ? "paced" : "simulated", asked = study()->id](std::stop_token stop) {
    Result<study::iv::Raised> raised = tl::unexpected(Error{});
    auto store = dossier::Store::open(path);
    if (store) {
      if (const auto bench = dossier::open_bench(*store, name, std::random_device{}(), at))
        raised = study::iv::start_small(plan, **bench, ratings, stop);
      else
        raised = tl::unexpected(bench.error());
    } else {
      raised = tl::unexpected(store.error());
    }
    QMetaObject::invokeMethod(
        this,
        [this, raised, swept = *plan.swept(), asked] {
          worker_.join();
          starting_small_ = false;
          emit running_changed();
          if (!raised) {
            emit said(QString::fromStdString(raised.error().message), raised.error().fault != Fault::stopped);
            return;
          }
          emit said(QString::fromStdString(study::iv::raised_text(*raised, swept)), false);
          // Somebody who went on to another study has not asked for it to be changed.
          if (!study() || study()->id != asked) return;
          const auto value = fmt::format("{:.3g}", raised->compliance);
          edit_brief("source." + swept.name + ".compliance",
                     QString::fromStdString(format_setting(std::stod(value), swept.other_unit())));
        },
        Qt::QueuedConnection);
  });
  return {};
}

QString Session::retake(long long take, const std::vector<int>& points) {
  last_pass_.reset();
  if (running()) return "A take is running already.";
  if (points.empty()) return "No points are chosen.";
  if (iv_plan_) return "Curves of current and voltage are taken again as a whole.";
  if (!plan_.stepped()) return "Noise is read at all frequencies at once; take it again as a whole.";
  if (const auto refused = study::refusal(preflight(), accepted_)) return QString::fromStdString(refused->message);
  launch({.note = points.size() == 1 ? "one point read again" : std::to_string(points.size()) + " points read again",
          .accepted = accepted_,
          .base = take,
          .only = points});
  return {};
}

void Session::launch(dossier::RunOptions options) {
  live_points_.clear();
  fresh_points_.clear();
  live_family_.reset();
  fresh_family_.reset();
  running_take_.reset();
  progress_ = {};
  run_ = options;
  stopping_ = false;
  worker_ = std::jthread([this, path = store_->path(), study = *study(), options = std::move(options),
                          paced = paced_](std::stop_token stop) {
    auto store = dossier::Store::open(path);
    Result<long long> result = 0;
    if (!store) {
      result = tl::unexpected(store.error());
    } else {
      dossier::TakeEvents events;
      events.began = [this](long long take) {
        QMetaObject::invokeMethod(
            this,
            [this, take] {
              running_take_ = take;
              // A pass that takes its place beside others leaves what else is shown where it is.
              if (!last_pass_ || overlaid_.isEmpty()) overlaid_.clear();
              shown_ = take;
              reload_takes();
            },
            Qt::QueuedConnection);
      };
      // Reduced here, so that the window only draws. A point that cannot be reduced is told when the take is read.
      // Noise has no curve of a single record: its spectra are summed as records come.
      auto records = std::make_shared<std::vector<study::Point>>();
      const auto settings =
          study::response::settings_from_text(study.kind == "response" ? study.settings : study::SettingsText{})
              .value_or(study::response::Settings{});
      // Curves are put together as readings come, but made anew only as often as they are drawn.
      const auto assembly = std::make_shared<study::iv::Assembly>();
      // What points share is told by one list for the whole take.
      const auto sources = std::make_shared<study::SourceNumbers>();
      QElapsedTimer since;
      events.point = [this, records, settings, assembly, sources, since, iv = study.kind == "iv"](
                         long long, const study::Point& point) mutable {
        if (iv) {
          const bool fit = assembly->add(point).has_value();
          const bool due = !since.isValid() || since.elapsed() >= live_timer_.interval();
          if (!fit || !due) return;
          since.start();
          publish(*assembly);
        } else if (point.setting.value("method", std::string()) == "noise") {
          records->push_back(point);
          if (auto curve = study::response::reduce_noise(*records, settings)) {
            for (auto& p : curve->points) p.trusted = !p.coherence || *p.coherence >= settings.coherence_limit;
            const std::lock_guard lock(live_mutex_);
            live_curve_ = std::move(*curve);
            live_curve_fresh_ = true;
          }
        } else if (auto reduced = study::response::reduce(point, *sources);
                   reduced && point.setting.value("check", std::string()).empty()) {
          const std::lock_guard lock(live_mutex_);
          fresh_points_.push_back(std::move(*reduced));
        }
      };
      events.progress = [this](const study::Progress& p) {
        const std::lock_guard lock(live_mutex_);
        progress_ = p;
      };
      result = dossier::run_take(*store, study, paced ? "paced" : "simulated", std::random_device{}(), options, events,
                                 stop);
      if (study.kind == "iv") publish(*assembly);
    }
    QMetaObject::invokeMethod(
        this, [this, result] { finish_run(result); }, Qt::QueuedConnection);
  });
  live_timer_.start();
  emit running_changed();
}

/// Called by the worker.
void Session::publish(const study::iv::Assembly& assembly) {
  auto family = assembly.family();
  if (!family) return;
  const std::lock_guard lock(live_mutex_);
  fresh_family_ = std::make_shared<const study::iv::Family>(std::move(*family));
}

void Session::read_live(TakeView& view) {
  if (kind() != "response") return;
  const auto settings = study::response::settings_from_text(study()->settings);
  const auto claims = store_->claims(study()->id);
  if (!settings || !claims) return;
  std::vector<std::string> asked;
  for (const auto& claim : *claims) asked.push_back(claim.figure);
  study::response::read_figures(view.curve, *settings, asked, view.analysis.reading);
  view.analysis.curve = study::response::as_columns(view.curve);
  if (auto lines = dossier::judge_take(*store_, *study(), &view.take, &view.analysis)) view.lines = std::move(*lines);
}

void Session::take_live_points() {
  {
    const std::lock_guard lock(live_mutex_);
    live_points_.insert(live_points_.end(), fresh_points_.begin(), fresh_points_.end());
    fresh_points_.clear();
    if (fresh_family_) live_family_ = std::exchange(fresh_family_, nullptr);
  }
  std::optional<study::response::Curve> noise;
  {
    const std::lock_guard lock(live_mutex_);
    if (live_curve_fresh_) noise = live_curve_;
    live_curve_fresh_ = false;
  }
  if (running_take_ && (noise || !live_points_.empty() || live_family_)) {
    auto view = std::make_shared<TakeView>();
    for (const auto& t : takes_)
      if (t.id == *running_take_) view->take = t;
    view->take.points = progress_.done;
    if (live_family_) {
      view->family = *live_family_;
    } else if (noise)
      view->curve = std::move(*noise);
    else if (auto curve = study::response::assemble(live_points_))
      view->curve = std::move(*curve);
    view->curve.quantity = plan_.quantity;
    // Figures while the take runs, as long as they cost no more than a frame.
    if (view->curve.points.size() <= 200) read_live(*view);
    views_[*running_take_] = view;
    emit live_changed();
  }
  emit progressed();
}

void Session::finish_run(Result<long long> result) {
  live_timer_.stop();
  worker_.join();
  take_live_points();
  const auto take = running_take_;
  running_take_.reset();
  if (take) views_.erase(*take);
  const bool slower = result && !stopping_ && slow_on();
  if (!slower) slowing_.clear();
  live_points_.clear();
  live_family_.reset();
  // Another study's ledger lines may rest on older takes; only this one's newest has changed.
  if (study()) newest_.erase(study()->id);
  if (result && take && !run_.purpose.empty()) {
    // What was just taken is what the study uses from now on.
    for (const auto& t : store_->takes(study()->id).value_or(std::vector<dossier::Take>{}))
      if (t.id == *take) edit_setting(run_.purpose, QString::number(t.number));
  }
  const bool again = result && !stopping_ && !iv_plan_ && run_.purpose.empty() && !run_.base &&
                     plan_.repeat != study::response::Repeat::once;
  if (result && last_pass_ && plan_.repeat == study::response::Repeat::last) {
    // A pass somebody wrote on stays.
    if (store_->drop_pass(*last_pass_)) views_.erase(*last_pass_);
  }
  last_pass_ = result ? take : std::nullopt;
  reload_takes();
  if (slower && !study::refusal(preflight(), accepted_)) {
    launch({.note = "slowed by four", .accepted = accepted_});
    return;
  }
  if (again && !study::refusal(preflight(), accepted_)) {
    launch({.accepted = accepted_});
    return;
  }
  emit running_changed();
  if (!result) emit said(QString::fromStdString(result.error().message), result.error().fault != Fault::stopped);
}

void Session::stop() {
  stopping_ = true;
  worker_.request_stop();
}

}  // namespace heron::app
