#include "session.h"

#include <QDir>
#include <QFileInfo>
#include <QStandardPaths>
#include <QUndoCommand>
#include <random>

#include "exchange/curves.h"
#include "exchange/writers.h"
#include "judge/claim_words.h"
#include "sim/device.h"
#include "study/iv/brief.h"
#include "study/iv/kind.h"
#include "study/iv/preflight.h"
#include "study/response/brief.h"
#include "study/response/figures.h"

namespace heron::app {

using study::response::Plan;

/// One undoable edit: what to do and what to do instead.
class SessionEdit : public QUndoCommand {
 public:
  SessionEdit(const QString& text, std::function<void()> forth, std::function<void()> back)
      : QUndoCommand(text), forth_(std::move(forth)), back_(std::move(back)) {}
  void redo() override { forth_(); }
  void undo() override { back_(); }

 private:
  std::function<void()> forth_, back_;
};

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

std::string Session::time_sentence() const {
  return iv_plan_ ? study::iv::time_sentence(*iv_plan_, limits_) : study::response::time_sentence(plan_, limits_);
}

Result<study::BriefHint> Session::hint(const std::string& key, const std::optional<QString>& typed) const {
  if (iv_plan_) {
    const auto plan = typed ? study::iv::apply(*iv_plan_, key, typed->trimmed().toStdString(), pins_)
                            : Result<study::iv::Plan>(*iv_plan_);
    if (!plan) return tl::unexpected(plan.error());
    return study::iv::hint(*plan, key, limits_, pins_);
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
      study_ = i;
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
        const auto settings = study::iv::settings_from_text(study.settings);
        if (!settings) return troubled(settings.error());
        auto family = study::iv::reduce_take(*points, *settings);
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
  if (study() && study()->id == study_id) return shown_ ? view(*shown_) : nullptr;
  if (!newest_.contains(study_id)) {
    newest_[study_id] = 0;
    if (const auto takes = store_->takes(study_id))
      for (const auto& take : *takes)
        if (take.points > 0 && take.purpose.empty()) newest_[study_id] = take.id;
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

/// A sensor of the user's own goes along whole, so that the dossier does not depend on her list.
std::string Session::with_own_sensor(const std::string& key, const QString& text) const {
  std::string typed = text.trimmed().toStdString();
  if (key.ends_with("sensor"))
    for (const auto& sensor : own_sensors_)
      if (sensor.name == typed) typed = bench::to_json(sensor).dump();
  return typed;
}

Result<nlohmann::json> Session::tried_on(const nlohmann::json& plan, const std::string& key,
                                         const QString& text) const {
  if (iv_plan_) {
    const auto before = study::iv::plan_from_json(plan);
    if (!before) return tl::unexpected(before.error());
    const auto after = study::iv::apply(*before, key, text.trimmed().toStdString(), pins_);
    if (!after) return tl::unexpected(after.error());
    return study::iv::to_json(*after);
  }
  const auto before = study::response::plan_from_json(plan);
  if (!before) return tl::unexpected(before.error());
  const auto after = study::response::apply(*before, key, with_own_sensor(key, text), pins_);
  if (!after) return tl::unexpected(after.error());
  return study::response::to_json(*after);
}

QString Session::edit_brief(const std::string& key, const QString& text) {
  return edit_brief_words({{key, text.toStdString()}});
}

QString Session::edit_brief_words(const study::Edits& edits) {
  if (!study()) return "There is no study yet.";
  const auto before = plan_text();
  auto next = before;
  for (const auto& [key, text] : edits) {
    auto changed = tried_on(next, key, QString::fromStdString(text));
    if (!changed) return QString::fromStdString(changed.error().message);
    next = std::move(*changed);
  }
  if (before == next) return {};
  undo_.push(new SessionEdit(
      "Change the brief", [this, after = next] { write_plan(after); }, [this, before] { write_plan(before); }));
  return {};
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

void Session::write_settings(long long id, const study::SettingsText& text) {
  if (auto ok = store_->set_settings(id, text); !ok) return complain(ok.error());
  for (auto& s : studies_)
    if (s.id == id) s.settings = text;
  forget_views();
  expect();
  emit plan_changed();
  emit takes_changed();
  emit shown_changed();
}

void Session::judge_again() {
  forget_views();
  emit takes_changed();
  emit shown_changed();
}

void Session::put_claim(long long id, const judge::Claim& claim) {
  if (const auto added = store_->add_claim(id, claim); !added) return complain(added.error());
  judge_again();
}

/// By its words: undone and done again, a claim has another number.
void Session::take_claim(long long id, const std::string& text) {
  const auto all = store_->claims(id);
  if (!all) return complain(all.error());
  for (auto it = all->rbegin(); it != all->rend(); ++it)
    if (it->text == text) {
      if (auto ok = store_->remove_claim(it->id); !ok) return complain(ok.error());
      break;
    }
  judge_again();
}

void Session::put_mask(long long id, const judge::Mask& mask) {
  if (const auto added = store_->add_mask(id, mask); !added) return complain(added.error());
  reload_masks();
}

void Session::take_mask(long long id, const std::string& text) {
  const auto all = store_->masks(id);
  if (!all) return complain(all.error());
  for (auto it = all->rbegin(); it != all->rend(); ++it)
    if (it->text == text) {
      if (auto ok = store_->remove_mask(it->id); !ok) return complain(ok.error());
      break;
    }
  reload_masks();
}

void Session::reload_masks() {
  masks_.clear();
  if (const auto* s = study())
    if (auto masks = store_->masks(s->id)) masks_ = std::move(*masks);
  judge_again();
}

void Session::remove_mask(const judge::Mask& mask) {
  if (!study()) return;
  undo_.push(new SessionEdit(
      "Take a mask back", [this, id = study()->id, text = mask.text] { take_mask(id, text); },
      [this, id = study()->id, mask] { put_mask(id, mask); }));
}

QString Session::write_claim(const QString& line) {
  if (!study()) return "There is no study yet.";
  const auto mask = judge::understand_mask(line.toStdString());
  if (!mask) return QString::fromStdString(mask.error().message);
  if (*mask) {
    undo_.push(new SessionEdit(
        "Write a mask", [this, id = study()->id, one = **mask] { put_mask(id, one); },
        [this, id = study()->id, words = (*mask)->text] { take_mask(id, words); }));
    return {};
  }
  const auto claim = judge::understand_claim(line.toStdString(), *study::find_kind(study()->kind));
  if (!claim) return QString::fromStdString(claim.error().message);
  undo_.push(new SessionEdit(
      "Write a claim", [this, id = study()->id, claim = *claim] { put_claim(id, claim); },
      [this, id = study()->id, text = claim->text] { take_claim(id, text); }));
  return {};
}

void Session::remove_claim(const judge::Claim& claim) {
  if (!study()) return;
  undo_.push(new SessionEdit(
      "Take a claim back", [this, id = study()->id, text = claim.text] { take_claim(id, text); },
      [this, id = study()->id, claim] { put_claim(id, claim); }));
}

std::vector<judge::Claim> Session::claims() {
  if (!study()) return {};
  return store_->claims(study()->id).value_or(std::vector<judge::Claim>{});
}

QString Session::edit_setting(const std::string& key, const QString& typed) {
  if (!study()) return "There is no study yet.";
  const auto* kind = study::find_kind(study()->kind);
  const std::string text = typed.trimmed().toStdString();
  const auto before = study()->settings;
  auto after = before;
  if (text.empty()) {
    after.erase(key);
  } else {
    if (const auto ok = kind->check_setting(key, text); !ok) return QString::fromStdString(ok.error().message);
    after[key] = text;
  }
  if (after == before) return {};
  undo_.push(new SessionEdit(
      "Change how the study is read", [this, id = study()->id, after] { write_settings(id, after); },
      [this, id = study()->id, before] { write_settings(id, before); }));
  return {};
}

void Session::zero_sensor(const std::string& name) {
  const auto* chain = plan_.hookup.find(name);
  if (!chain || running()) return;
  readers_.start([this, chain = *chain] {
    const auto zero = dossier::read_zero(chain, "simulated");
    QMetaObject::invokeMethod(
        this,
        [this, zero, name = chain.name] {
          if (!zero) return complain(zero.error());
          if (const auto trouble = edit_brief("hookup." + name + ".zero", QString::number(*zero, 'g', 6) + " V");
              !trouble.isEmpty())
            emit said(trouble, true);
          else
            emit said(
                QString("%1 reads %2 with nothing in it; that is taken off from now on.")
                    .arg(QString::fromStdString(name), QString::fromStdString(format_quantity(*zero, "V", 3).plain())),
                false);
        },
        Qt::QueuedConnection);
  });
}

void Session::check_factor(const std::string& name) {
  const auto* chain = plan_.hookup.find(name);
  if (!chain || running()) return;
  readers_.start([this, chain = *chain] {
    const auto check = dossier::read_known_signal(chain, "simulated");
    QMetaObject::invokeMethod(
        this,
        [this, check, name = chain.name] {
          if (!check) return complain(check.error());
          emit factor_checked(QString::fromStdString(name), check->read, check->known, check->u);
        },
        Qt::QueuedConnection);
  });
}

QString Session::own_sensors_path() {
  return QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/sensors.json";
}

QString Session::write_own_sensors(std::vector<bench::Sensor> sensors) {
  const QString path = own_sensors_path();
  QDir().mkpath(QFileInfo(path).path());
  if (const auto ok = exchange::write_file(path.toStdString(), bench::sensor_list_text(sensors)); !ok)
    return QString::fromStdString(ok.error().message);
  own_sensors_ = std::move(sensors);
  emit sensors_changed();
  return {};
}

QString Session::keep_own_sensor(const bench::Sensor& sensor) {
  if (bench::find_stock_sensor(sensor.name)) return "A sensor that ships has this name; choose another.";
  auto all = own_sensors_;
  std::erase_if(all, [&](const bench::Sensor& s) { return s.name == sensor.name; });
  all.push_back(sensor);
  return write_own_sensors(std::move(all));
}

QString Session::drop_own_sensor(const std::string& name) {
  auto all = own_sensors_;
  std::erase_if(all, [&](const bench::Sensor& s) { return s.name == name; });
  return write_own_sensors(std::move(all));
}

QString Session::import_own_sensors(const QString& path) {
  const auto text = exchange::read_file(path.toStdString());
  if (!text) return QString::fromStdString(text.error().message);
  const auto more = bench::read_sensor_list(*text, QFileInfo(path).fileName().toStdString());
  if (!more) return QString::fromStdString(more.error().message);
  auto all = own_sensors_;
  for (const auto& sensor : *more) {
    if (bench::find_stock_sensor(sensor.name))
      return QString("%1: a sensor that ships has this name.").arg(QString::fromStdString(sensor.name));
    std::erase_if(all, [&](const bench::Sensor& s) { return s.name == sensor.name; });
    all.push_back(sensor);
  }
  return write_own_sensors(std::move(all));
}

QString Session::export_own_sensors(const QString& path) {
  const auto ok = exchange::write_file(path.toStdString(), bench::sensor_list_text(own_sensors_));
  return ok ? QString() : QString::fromStdString(ok.error().message);
}

void Session::write_wake(std::optional<long long> take) {
  if (!study()) return;
  if (auto ok = store_->set_wake(study()->id, take); !ok) return complain(ok.error());
  studies_[study_].wake = take;
  emit takes_changed();
  emit shown_changed();
}

void Session::set_wake(std::optional<long long> take) {
  const auto before = wake();
  if (before == take) return;
  undo_.push(new SessionEdit(
      take ? "Pin the wake" : "Unpin the wake", [this, take] { write_wake(take); },
      [this, before] { write_wake(before); }));
}

void Session::write_note(long long take, const QString& note) {
  if (auto ok = store_->set_note(take, note.toStdString()); !ok) return complain(ok.error());
  for (auto& t : takes_)
    if (t.id == take) t.note = note.toStdString();
  emit takes_changed();
}

void Session::set_note(long long take, const QString& note) {
  QString before;
  for (const auto& t : takes_)
    if (t.id == take) before = QString::fromStdString(t.note);
  if (before == note) return;
  undo_.push(new SessionEdit(
      "Change the note", [this, take, note] { write_note(take, note); },
      [this, take, before] { write_note(take, before); }));
}

void Session::write_fitted(long long unit, const std::string& part, std::optional<double> value, double tolerance,
                           long long assembly) {
  if (auto ok = store_->set_fitted(unit, part, value, tolerance, assembly); !ok) return complain(ok.error());
  reload_device();
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

QString Session::set_fitted(const std::string& part, const QString& text) {
  const auto* found = circuit_.find(part);
  if (!found) return "There is no such part.";
  std::optional<double> value;
  double tolerance = 0;
  if (!text.trimmed().isEmpty()) {
    const auto pieces = QString(text).replace("+-", "\u00b1").split(QChar(0xb1));
    const auto read = parse_value(pieces[0].trimmed().toStdString(), found->kind->values.front().unit);
    if (!read) return QString::fromStdString(read.error().message);
    if (!(*read > 0)) return "A part's value is above zero.";
    value = *read;
    if (pieces.size() > 1) {
      const auto percent = parse_value(pieces[1].trimmed().toStdString(), "%");
      if (!percent) return QString::fromStdString(percent.error().message);
      if (!(*percent >= 0 && *percent < 100)) return "What a measured value may be off by lies from 0 % to 100 %.";
      tolerance = *percent / 100;
    }
  }
  const auto unit = unit_.id;
  const auto it = unit_.fitted.find(part);
  const std::optional<double> before = it == unit_.fitted.end() ? std::nullopt : std::optional(it->second);
  const auto was = unit_.fitted_tolerance.find(part);
  const double tolerance_before = was == unit_.fitted_tolerance.end() ? 0 : was->second;
  if (before == value && tolerance == tolerance_before) return {};
  undo_.push(new SessionEdit(
      "Change a part value", [=, this, at = assembly()] { write_fitted(unit, part, value, tolerance, at); },
      [=, this, at = assembly()] { write_fitted(unit, part, before, tolerance_before, at); }));
  return {};
}

QString Session::set_rating(const std::string& name, const std::string& what, const QString& text) {
  const struct {
    const char* what;
    const char* unit;
    std::optional<double> device::Rating::*member;
  } kinds[] = {{"voltage", "V", &device::Rating::voltage},
               {"current", "A", &device::Rating::current},
               {"power", "W", &device::Rating::power},
               {"duration", "s", &device::Rating::duration}};
  auto after = device_;
  for (const auto& kind : kinds) {
    if (what != kind.what) continue;
    if (text.trimmed().isEmpty()) {
      after.ratings[name].*kind.member = std::nullopt;
    } else {
      const auto read = parse_value(text.trimmed().toStdString(), kind.unit);
      if (!read) return QString::fromStdString(read.error().message);
      if (!(*read > 0)) return "A rating is above zero.";
      after.ratings[name].*kind.member = *read;
    }
  }
  if (after.ratings == device_.ratings) return {};
  undo_.push(new SessionEdit(
      "Change a rating", [this, after, at = assembly()] { write_device(after, at); },
      [this, before = device_, at = assembly()] { write_device(before, at); }));
  return {};
}

QString Session::set_expectations(const std::vector<device::Expectation>& expectations) {
  if (expectations == device_.expectations) return {};
  auto after = device_;
  after.expectations = expectations;
  undo_.push(new SessionEdit(
      "Change an expectation", [this, after, at = assembly()] { write_device(after, at); },
      [this, before = device_, at = assembly()] { write_device(before, at); }));
  return {};
}

void Session::select_unit(long long unit) {
  if (unit == unit_.id) return;
  const auto before = unit_.id;
  const auto set = [this](long long id) {
    if (auto ok = store_->set_current_unit(id); !ok) return complain(ok.error());
    reload_device();
  };
  undo_.push(new SessionEdit(
      "Choose a unit", [=] { set(unit); }, [=] { set(before); }));
}

QString Session::add_unit(const QString& name) {
  if (name.trimmed().isEmpty()) return "A unit needs a name, such as unit 12.";
  for (const auto& unit : units_)
    if (unit.name == name.trimmed().toStdString()) return "There is a unit of this name already.";
  const auto id = store_->add_unit(name.trimmed().toStdString());
  if (!id) return QString::fromStdString(id.error().message);
  reload_device();
  select_unit(*id);
  return {};
}

void Session::write_device(const dossier::DeviceInfo& device, long long assembly) {
  if (auto ok = store_->set_device(device, assembly); !ok) return complain(ok.error());
  reload_device();
}

QString Session::rename_device(const QString& name, const QString& about) {
  if (!is_open()) return {};
  auto after = device_;
  after.name = name.trimmed().toStdString();
  after.about = about.trimmed().toStdString();
  if (after.name == device_.name && after.about == device_.about) return {};
  if (after.name.empty()) return "A device needs a name.";
  undo_.push(new SessionEdit(
      "Name the device", [this, after, at = assembly()] { write_device(after, at); },
      [this, before = device_, at = assembly()] { write_device(before, at); }));
  return {};
}

QString Session::load_circuit(const QString& path) {
  const auto text = exchange::read_file(path.toStdString());
  if (!text) return QString::fromStdString(text.error().message);
  const auto circuit = sim::read_circuit(*text, QFileInfo(path).fileName().toStdString());
  if (!circuit) return QString::fromStdString(circuit.error().message);
  auto after = device_;
  after.circuit = *text;
  if (after.about.empty()) after.about = circuit->title;
  undo_.push(new SessionEdit(
      "Load a circuit", [this, after, at = assembly()] { write_device(after, at); },
      [this, before = device_, at = assembly()] { write_device(before, at); }));
  return {};
}

QString Session::add_study(const QString& name, const std::string& kind) {
  if (name.trimmed().isEmpty()) return "A study needs a name, such as Passband.";
  if (kind == "iv" && circuit_.pins.empty()) return "Load a circuit first: a pin to sweep is wanted.";
  Plan plan;
  if (!circuit_.pins.empty()) {
    // Pins that call themselves in and out, where there are such; else the first and the last.
    const auto called = [&](const char* word) -> std::optional<std::string> {
      std::optional<std::string> found;
      for (const auto& [pin, node] : circuit_.pins)
        if (QString::fromStdString(pin).split(' ').contains(word, Qt::CaseInsensitive)) found = pin;
      return found;
    };
    plan.drive_pin = called("in").value_or(circuit_.pins.begin()->first);
    plan.hookup = study::response::direct_hookup(plan.drive_pin, called("out").value_or(circuit_.pins.rbegin()->first));
    // Well inside the first pin's rating, so that a device not yet known is not hurt by the first take.
    if (const auto rating = circuit_.voltage_rating(plan.drive_pin))
      plan.level_pp = std::min(plan.level_pp, *rating / 10);
  }
  nlohmann::json text = study::response::to_json(plan);
  if (kind == "iv") {
    // Small, and well inside the pin's rating: the device is not yet known.
    const auto& pin = circuit_.pins.begin()->first;
    const auto rating = circuit_.ratings.find(pin);
    const double volts =
        rating != circuit_.ratings.end() && rating->second.voltage ? *rating->second.voltage / 10 : 0.5;
    text = study::iv::to_json({.sources = {{.name = pin,
                                            .pin = pin,
                                            .against = "",
                                            .role = study::iv::Role::swept,
                                            .values = {.start = 0, .stop = std::min(volts, 1.0), .points = 51},
                                            .compliance = 1e-3,
                                            .current_range = {}}},
                               .sensed = ""});
  }
  const auto id =
      store_->add_study({.name = name.trimmed().toStdString(), .kind = kind, .plan = text, .assembly = assembly()});
  if (!id) return QString::fromStdString(id.error().message);
  if (auto all = store_->studies()) studies_ = std::move(*all);
  study_ = studies_.size() - 1;
  shown_.reset();
  reload_study();
  return {};
}

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
    if (const auto loop = study::iv::widest_loop(*seen->family)) slowing_.push_back({loop->rate, loop->opening});
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
  const auto family = study::iv::reduce_take(live_readings_, {});
  const auto loop = family ? study::iv::widest_loop(*family) : std::nullopt;
  if (!loop) {
    slowing_.clear();
    return false;
  }
  slowing_.push_back({loop->rate, loop->opening});
  const auto settings = study::iv::settings_from_text(study()->settings).value_or(study::iv::Settings{});
  if (study::iv::closing_of(slowing_, settings.loop_threshold) == study::iv::Closing::open &&
      slowing_.size() < kMostPasses)
    if (edit_brief_words(study::iv::slowed(*iv_plan_, 4, limits_)).isEmpty()) return true;
  emit said(QString::fromStdString(study::iv::closing_text(slowing_, settings.loop_threshold)), false);
  slowing_.clear();
  return false;
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
  live_readings_.clear();
  fresh_readings_.clear();
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
      events.point = [this, records, settings, iv = study.kind == "iv"](long long, const study::Point& point) {
        if (iv) {
          const std::lock_guard lock(live_mutex_);
          fresh_readings_.push_back(point);
        } else if (point.setting.value("method", std::string()) == "noise") {
          records->push_back(point);
          if (auto curve = study::response::reduce_noise(*records, settings)) {
            for (auto& p : curve->points) p.trusted = !p.coherence || *p.coherence >= settings.coherence_limit;
            const std::lock_guard lock(live_mutex_);
            live_curve_ = std::move(*curve);
            live_curve_fresh_ = true;
          }
        } else if (auto reduced = study::response::reduce(point);
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
    }
    QMetaObject::invokeMethod(
        this, [this, result] { finish_run(result); }, Qt::QueuedConnection);
  });
  live_timer_.start();
  emit running_changed();
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
    live_readings_.insert(live_readings_.end(), fresh_readings_.begin(), fresh_readings_.end());
    fresh_readings_.clear();
  }
  std::optional<study::response::Curve> noise;
  {
    const std::lock_guard lock(live_mutex_);
    if (live_curve_fresh_) noise = live_curve_;
    live_curve_fresh_ = false;
  }
  if (running_take_ && (noise || !live_points_.empty() || !live_readings_.empty())) {
    auto view = std::make_shared<TakeView>();
    for (const auto& t : takes_)
      if (t.id == *running_take_) view->take = t;
    view->take.points = progress_.done;
    if (!live_readings_.empty()) {
      if (auto family = study::iv::reduce_take(live_readings_, {})) view->family = std::move(*family);
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
  live_readings_.clear();
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

QString Session::import_file(const QString& path) {
  if (!is_open()) return "Open or make a dossier first.";
  const auto curves = exchange::read_curves(path.toStdString(), *study::find_kind(study() ? kind() : "response"),
                                            {.impedance = plan_.quantity == study::response::Quantity::impedance});
  if (!curves) return QString::fromStdString(curves.error().message);
  return import_curves(*curves);
}

QString Session::import_curves(const std::vector<exchange::FileCurve>& curves) {
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
    const auto take = dossier::import_take(*store_, *study(), curve.record, curve.name, curve.notes);
    if (!take) {
      trouble = QString::fromStdString(curve.name + ": " + take.error().message);
      break;
    }
    all << *take;
  }
  if (!all.isEmpty()) shown_ = all.last();
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
