#include "session.h"

#include <QFileInfo>

#include "exchange/writers.h"
#include "sim/device.h"
#include "study/iv/brief.h"
#include "study/iv/preflight.h"
#include "study/iv/reduce.h"
#include "study/response/brief.h"
#include "study/response/figures.h"

namespace heron::app {

using study::response::Plan;

Session::Session(QObject* parent) : QObject(parent) {
  // One reader: takes are read in the order they were asked for, and the disk is not fought over.
  readers_.setMaxThreadCount(1);
  thinkers_.setMaxThreadCount(1);
  live_timer_.setInterval(33);
  connect(&live_timer_, &QTimer::timeout, this, &Session::take_live_points);
  connect(this, &Session::device_changed, this, &Session::predict);
  connect(this, &Session::device_changed, this, &Session::expect);
  if (QFileInfo::exists(own_sensors_path()))
    if (const auto text = exchange::read_file(own_sensors_path().toStdString()))
      if (auto sensors = bench::read_sensor_list(*text, "sensors.json")) own_sensors_ = std::move(*sensors);
}

Session::~Session() {
  worker_.request_stop();
  if (worker_.joinable()) worker_.join();
  expecting_.request_stop();
  readers_.clear();
  readers_.waitForDone();
  thinkers_.clear();
  thinkers_.waitForDone();
}

QString Session::path() const { return store_ ? QString::fromStdString(store_->path()) : QString(); }

bool Session::open(const QString& path) {
  if (running()) {
    emit said("A take is running; stop it before opening another dossier.", true);
    return false;
  }
  return adopt(dossier::Store::open(path.toStdString()));
}

bool Session::create(const QString& path) {
  if (running()) {
    emit said("A take is running; stop it before making another dossier.", true);
    return false;
  }
  return adopt(dossier::Store::create(path.toStdString()));
}

bool Session::adopt(Result<dossier::Store> store) {
  if (!store) {
    complain(store.error());
    return false;
  }
  forget_views();
  store_.emplace(std::move(*store));
  undo_.clear();
  if (!store_->damage().empty()) emit said(QString::fromStdString(store_->damage()), true);
  if (const auto dead = store_->settle_dead_takes(); !dead)
    complain(dead.error());
  else if (*dead > 0)
    emit said(QString("%1 was cut short when the program ended; every point read before is kept.")
                  .arg(*dead == 1 ? "A take" : "Some takes"),
              false);
  study_ = 0;
  shown_.reset();
  overlaid_.clear();
  studies_.clear();
  if (auto all = store_->studies())
    studies_ = std::move(*all);
  else
    complain(all.error());
  reload_device();
  reload_study();
  emit opened();
  return true;
}

void Session::complain(const Error& error) { emit said(QString::fromStdString(error.message), true); }

void Session::forget_views() {
  ++generation_;
  views_.clear();
  asked_.clear();
  newest_.clear();
}

long long Session::assembly() const { return study() ? study()->assembly : dossier::kMainAssembly; }

const dossier::Study* Session::study() const { return study_ < studies_.size() ? &studies_[study_] : nullptr; }

void Session::reload_device() {
  device_ = {};
  units_.clear();
  unit_ = {};
  pins_.clear();
  circuit_ = {};
  if (auto device = store_->device(assembly()))
    device_ = std::move(*device);
  else
    complain(device.error());
  if (auto all = store_->units(assembly())) units_ = std::move(*all);
  if (auto unit = store_->current_unit(assembly())) unit_ = std::move(*unit);
  if (!device_.circuit.empty()) {
    if (auto circuit = sim::read_circuit(device_.circuit, device_.about))
      circuit_ = std::move(*circuit);
    else
      complain(circuit.error());
  }
  dossier::apply_ratings(circuit_, device_.ratings);
  for (const auto& [pin, node] : circuit_.pins) pins_.push_back(pin);
  for (const auto& [branch, place] : circuit_.branches) pins_.push_back(branch);
  if (!pins_.empty()) pins_.emplace_back(bench::kDriveLead);
  limits_ = {};
  if (const auto bench = dossier::open_bench(*store_, "simulated", 0, assembly())) limits_ = (*bench)->limits();
  emit device_changed();
}

void Session::reload_study() {
  plan_ = {};
  iv_plan_.reset();
  masks_.clear();
  takes_.clear();
  if (const auto* s = study()) {
    adopt_plan(s->plan);
    if (auto masks = store_->masks(s->id)) masks_ = std::move(*masks);
  }
  predict();
  expect();
  reload_takes();
  emit plan_changed();
}

void Session::adopt_plan(const nlohmann::json& text) {
  if (kind() == "iv") {
    if (auto plan = study::iv::plan_from_json(text))
      iv_plan_ = std::move(*plan);
    else
      complain(plan.error());
  } else if (auto plan = study::response::plan_from_json(text)) {
    plan_ = std::move(*plan);
  } else {
    complain(plan.error());
  }
}

nlohmann::json Session::plan_text() const {
  return iv_plan_ ? study::iv::to_json(*iv_plan_) : study::response::to_json(plan_);
}

std::vector<study::BriefPiece> Session::brief() const {
  return iv_plan_ ? study::iv::brief(*iv_plan_) : study::response::brief(plan_);
}

std::string Session::driven_pin() const {
  if (!iv_plan_) return plan_.drive_pin;
  return iv_plan_->swept() ? iv_plan_->swept()->pin : std::string();
}

std::string Session::time_sentence() const {
  return iv_plan_ ? study::iv::time_sentence(*iv_plan_, limits_) : study::response::time_sentence(plan_, limits_);
}

Result<study::BriefHint> Session::hint(const std::string& key, const std::optional<QString>& typed) const {
  if (iv_plan_) {
    const auto plan = typed ? study::iv::apply(*iv_plan_, key, with_own_sensor(key, *typed), pins_)
                            : Result<study::iv::Plan>(*iv_plan_);
    if (!plan) return tl::unexpected(plan.error());
    auto out = study::iv::hint(*plan, key, limits_, pins_);
    if (key.ends_with("sensor"))
      for (const auto& sensor : own_sensors_) out.choices.push_back(sensor.name);
    return out;
  }
  const auto plan =
      typed ? study::response::apply(plan_, key, with_own_sensor(key, *typed), pins_) : Result<Plan>(plan_);
  if (!plan) return tl::unexpected(plan.error());
  auto out = study::response::hint(*plan, key, limits_, pins_);
  if (key.ends_with("sensor"))
    for (const auto& sensor : own_sensors_) out.choices.push_back(sensor.name);
  return out;
}

void Session::reload_takes() {
  takes_.clear();
  if (const auto* s = study()) {
    if (auto all = store_->takes(s->id))
      takes_ = std::move(*all);
    else
      complain(all.error());
  }
  const bool there =
      shown_ && std::any_of(takes_.begin(), takes_.end(), [&](const auto& t) { return t.id == *shown_; });
  if (!there) {
    shown_.reset();
    for (const auto& take : takes_)
      if (take.purpose.empty() || !shown_) shown_ = take.id;
    overlaid_.clear();
  }
  emit takes_changed();
  emit shown_changed();
}

void Session::select_study(long long id) {
  for (std::size_t i = 0; i < studies_.size(); ++i)
    if (studies_[i].id == id && i != study_) {
      const auto before = assembly();
      const auto kind_before = kind();
      study_ = i;
      // Cursors of frequencies mean nothing among voltages, nor one device's voltages at another.
      if (kind() != kind_before || kind() == "iv")
        for (const char letter : {'A', 'B'}) look_.set_cursor(letter, std::nullopt);
      shown_.reset();
      if (assembly() != before) reload_device();
      reload_study();
    }
}

void Session::show_take(long long take) {
  if (shown_ == take && overlaid_.isEmpty()) return;
  shown_ = take;
  overlaid_.clear();
  emit shown_changed();
}

void Session::overlay(const QList<long long>& takes) {
  if (takes.isEmpty()) return;
  shown_ = takes.last();
  overlaid_ = takes;
  overlaid_.removeLast();
  emit shown_changed();
}

std::optional<long long> Session::wake() const { return study() ? study()->wake : std::nullopt; }

double Session::sweep_seconds() const {
  return iv_plan_ ? study::iv::sweep_time(*iv_plan_, limits_) : study::response::sweep_time(plan_, limits_);
}

std::vector<study::Doubt> Session::preflight() const {
  if (iv_plan_) return study::iv::preflight(*iv_plan_, limits_, circuit_.ratings);
  return study::response::preflight(plan_, limits_, circuit_.ratings, levels_ ? &*levels_ : nullptr);
}

std::shared_ptr<TakeView> Session::read_take(const std::string& path, long long study_id, long long take_id) {
  auto view = std::make_shared<TakeView>();
  const auto troubled = [&](const Error& e) {
    view->trouble = QString::fromStdString(e.message);
    return view;
  };
  auto store = dossier::Store::open(path);
  if (!store) return troubled(store.error());
  const auto take = store->take(take_id);
  if (!take) return troubled(take.error());
  view->take = *take;
  const auto studies = store->studies();
  if (!studies) return troubled(studies.error());
  for (const auto& study : *studies) {
    if (study.id != study_id) continue;
    if (take->points > 0) {
      const auto points = dossier::points_of(*store, study, *take);
      if (!points) return troubled(points.error());
      if (study.kind == "iv") {
        auto family = study::iv::reduce_take(*points);
        if (!family) return troubled(family.error());
        view->family = std::move(*family);
      } else {
        const auto settings = study::response::settings_from_text(study.settings);
        if (!settings) return troubled(settings.error());
        auto curve = study::response::reduce_take(*points, *settings);
        if (!curve) return troubled(curve.error());
        view->curve = std::move(*curve);
      }
      auto analysis = dossier::analyse_take(*store, study, *take);
      if (!analysis) return troubled(analysis.error());
      view->analysis = std::move(*analysis);
    }
    auto lines = dossier::judge_take(*store, study, &*take, take->points > 0 ? &view->analysis : nullptr);
    if (!lines) return troubled(lines.error());
    view->lines = std::move(*lines);
  }
  return view;
}

void Session::request(long long study, long long take) {
  if (asked_[take]) return;
  asked_[take] = true;
  readers_.start([this, study, take, generation = generation_, path = store_->path()] {
    auto view = read_take(path, study, take);
    QMetaObject::invokeMethod(
        this,
        [this, view, take, generation] {
          if (generation != generation_) return;
          views_[take] = view;
          asked_[take] = false;
          emit take_read(take);
        },
        Qt::QueuedConnection);
  });
}

std::shared_ptr<const TakeView> Session::view(long long take) {
  if (const auto it = views_.find(take); it != views_.end()) return it->second;
  if (take != running_take_ && study()) request(study()->id, take);
  return nullptr;
}

std::shared_ptr<const TakeView> Session::newest_view(long long study_id) {
  if (study() && study()->id == study_id) {
    // What is in view is judged, unless it was laid aside: then the newest that was not.
    const auto in_view = std::find_if(takes_.begin(), takes_.end(), [&](const auto& t) { return t.id == shown_; });
    if (in_view != takes_.end() && !in_view->aside) return view(*shown_);
  }
  if (!newest_.contains(study_id)) {
    newest_[study_id] = 0;
    if (const auto takes = store_->takes(study_id))
      for (const auto& take : *takes)
        if (take.points > 0 && take.purpose.empty() && !take.aside) newest_[study_id] = take.id;
  }
  const auto take = newest_[study_id];
  if (take == 0) return nullptr;
  if (const auto it = views_.find(take); it != views_.end()) return it->second;
  request(study_id, take);
  return nullptr;
}

Result<study::Point> Session::point(long long take, int index) { return store_->point(take, index); }

void Session::write_plan(const nlohmann::json& plan) {
  if (!study()) return;
  if (auto ok = store_->set_plan(study()->id, plan); !ok) return complain(ok.error());
  studies_[study_].plan = plan;
  adopt_plan(plan);
  predict();
  expect();
  emit plan_changed();
}

void Session::set_paced(bool on) {
  paced_ = on;
  emit running_changed();
}

void Session::accept_finding(const std::string& key) {
  accepted_.insert(key);
  emit levels_changed();
}

/// What the circuit should show is solved beside the window; a newer plan makes an older answer void.
void Session::predict() {
  levels_.reset();
  accepted_.clear();
  const int asked = ++prediction_;
  if (!study() || iv_plan_ || circuit_.parts.empty()) return;
  auto circuit = circuit_;
  for (const auto& [name, value] : unit_.fitted)
    for (auto& part : circuit.parts)
      if (part.name == name && part.values.contains("value")) part.values["value"].value = value;
  thinkers_.start([this, asked, circuit = std::move(circuit), plan = plan_] {
    if (asked != prediction_) return;
    auto levels = dossier::predict_levels(circuit, plan);
    QMetaObject::invokeMethod(
        this,
        [this, asked, levels = std::move(levels)] {
          if (asked != prediction_) return;
          levels_ = levels;
          emit levels_changed();
        },
        Qt::QueuedConnection);
  });
}

/// Drawn when it is there; anything newer stops what is still being worked out.
void Session::expect() {
  expecting_.request_stop();
  expecting_ = {};
  const int asked = ++expectation_;
  const bool wanted = study() && !iv_plan_ && !circuit_.parts.empty() && settings().expected != "none";
  if (expected_ || !expected_trouble_.isEmpty()) {
    expected_.reset();
    expected_trouble_.clear();
    emit expected_changed();
  }
  if (!wanted) return;
  // After the first paint: what was measured comes first.
  QTimer::singleShot(120, this, [this, asked] {
    if (asked != expectation_ || !study()) return;
    const std::string formula = settings().expected == "circuit" ? "" : settings().expected;
    thinkers_.start(
        [this, asked, formula, study = *study(), plan = plan_, path = store_->path(), stop = expecting_.get_token()] {
          if (stop.stop_requested()) return;
          auto store = dossier::Store::open(path);
          Result<dossier::ExpectedCurve> curve = tl::unexpected(Error{});
          if (store) curve = dossier::expected_curve(*store, study, plan, formula, stop);
          QMetaObject::invokeMethod(
              this,
              [this, asked, formula, curve = std::move(curve)] {
                if (asked != expectation_) return;
                if (curve)
                  expected_ = std::make_shared<const dossier::ExpectedCurve>(*curve);
                else if (!formula.empty())
                  expected_trouble_ = QString::fromStdString(curve.error().message);
                if (!expected_trouble_.isEmpty()) emit said(expected_trouble_, true);
                emit expected_changed();
              },
              Qt::QueuedConnection);
        });
  });
}

study::response::Settings Session::settings() const {
  if (!study() || iv_plan_) return {};
  return study::response::settings_from_text(study()->settings).value_or(study::response::Settings{});
}

std::map<std::string, device::PartFact> Session::part_facts() const {
  std::map<std::string, device::PartFact> out;
  for (const auto& [name, value] : sim::main_values(circuit_)) out[name] = {value.value, value.tolerance};
  for (const auto& [name, value] : unit_.fitted) {
    const auto tolerance = unit_.fitted_tolerance.find(name);
    out[name] = {value, tolerance == unit_.fitted_tolerance.end() ? 0 : tolerance->second};
  }
  return out;
}

QString Session::import_file(const QString& path) {
  if (!is_open()) return "Open or make a dossier first.";
  const auto curves = exchange::read_curves(path.toStdString(), *study::find_kind(study() ? kind() : "response"),
                                            {.impedance = plan_.quantity == study::response::Quantity::impedance});
  if (!curves) return QString::fromStdString(curves.error().message);
  return import_curves(*curves);
}

QString Session::import_curves(const std::vector<exchange::FileCurve>& curves, bool aside) {
  if (!is_open()) return "Open or make a dossier first.";
  if (curves.empty()) return "There is nothing to bring in.";
  if (!study())
    if (const QString trouble = add_study(QFileInfo(QString::fromStdString(curves.front().name)).completeBaseName());
        !trouble.isEmpty())
      return trouble;
  // Beside what was shown before, so that they compare at once.
  QList<long long> all = overlaid_;
  if (shown_) all << *shown_;
  QString trouble;
  for (const auto& curve : curves) {
    const auto take = dossier::import_take(*store_, *study(), curve.record, curve.name, curve.notes, aside);
    if (!take) {
      trouble = QString::fromStdString(curve.name + ": " + take.error().message);
      break;
    }
    all << *take;
  }
  if (!all.isEmpty()) shown_ = all.last();
  newest_.erase(study()->id);
  reload_takes();
  if (all.size() > 1) overlay(all);
  return trouble;
}

Result<int> Session::export_take(long long take, const QString& folder) {
  for (const auto& t : takes_)
    if (t.id == take && study()) return exchange::export_take(*store_, *study(), t, folder.toStdString());
  return fail(Fault::usage, "There is no take to write.");
}

}  // namespace heron::app
