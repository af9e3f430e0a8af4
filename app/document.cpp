#include "document.h"

#include <QFileInfo>
#include <algorithm>

#include "edit_command.h"
#include "run/take.h"
#include "study/kind.h"

namespace heron::app {

Document::Document(Messages* messages, QObject* parent) : QObject(parent), messages_(messages) {}

bool Document::open(const QString& path) { return adopt(dossier::Store::open(path.toStdString())); }

bool Document::create(const QString& path) { return adopt(dossier::Store::create(path.toStdString())); }

QString Document::path() const { return store_ ? QString::fromStdString(store_->path()) : QString(); }

std::function<Result<study::Point>()> Document::point_reader(long long take, int index) const {
  return [path = path().toStdString(), whole = !read_only(), take, index]() -> Result<study::Point> {
    auto store = whole ? dossier::Store::open_again(path) : dossier::Store::open(path);
    if (!store) return tl::unexpected(store.error());
    return store->point(take, index);
  };
}

bool Document::adopt(Result<dossier::Store> store) {
  if (!store) {
    complain(store.error());
    return false;
  }
  emit closing();
  store_.emplace(std::move(*store));
  undo_.clear();
  facts_.clear();
  devices_.clear();
  units_.clear();
  if (!store_->damage().empty()) messages_->say(QString::fromStdString(store_->damage()), true);
  if (const auto dead = store_->settle_dead_takes(); !dead)
    complain(dead.error());
  else if (*dead > 0)
    messages_->say(QString("%1 was cut short when the program ended; every point read before is kept.")
                       .arg(*dead == 1 ? "A take" : "Some takes"),
                   false);
  reread_studies();
  emit opened();
  return true;
}

void Document::reread_studies() {
  studies_.clear();
  if (auto all = store_->studies())
    studies_ = std::move(*all);
  else
    complain(all.error());
}

dossier::Study* Document::find(long long id) {
  const auto it = std::find_if(studies_.begin(), studies_.end(), [&](const auto& s) { return s.id == id; });
  return it == studies_.end() ? nullptr : &*it;
}

const dossier::Study* Document::study(long long id) const { return const_cast<Document*>(this)->find(id); }

namespace {

/// What was read once; nothing where it could not be, which is said.
template <class T>
const T& kept(std::optional<T>& into, const std::function<Result<T>()>& read, const std::function<void(const Error&)>& complain) {
  if (!into) {
    auto now = read();
    if (!now) complain(now.error());
    into = now ? std::move(*now) : T();
  }
  return *into;
}

}  // namespace

const std::vector<dossier::Take>& Document::takes(long long id) {
  return kept<std::vector<dossier::Take>>(
      facts_[id].takes, [&] { return store_->takes(id); }, [&](const Error& e) { complain(e, id); });
}

const dossier::Take* Document::take(long long id, long long take) {
  const auto& all = takes(id);
  const auto it = std::find_if(all.begin(), all.end(), [&](const auto& t) { return t.id == take; });
  return it == all.end() ? nullptr : &*it;
}

const std::vector<judge::Claim>& Document::claims(long long id) {
  return kept<std::vector<judge::Claim>>(
      facts_[id].claims, [&] { return store_->claims(id); }, [&](const Error& e) { complain(e, id); });
}

const std::vector<judge::Mask>& Document::masks(long long id) {
  return kept<std::vector<judge::Mask>>(
      facts_[id].masks, [&] { return store_->masks(id); }, [&](const Error& e) { complain(e, id); });
}

const std::vector<judge::TypedFigure>& Document::typed(long long id) {
  return kept<std::vector<judge::TypedFigure>>(
      facts_[id].typed, [&] { return store_->typed_figures(id); }, [&](const Error& e) { complain(e, id); });
}

std::vector<std::string> Document::asked(long long id) {
  const auto* one = study(id);
  const auto* kind = one ? study::find_kind(one->kind) : nullptr;
  return kind ? judge::asked_figures(*kind, claims(id), masks(id)) : std::vector<std::string>();
}

std::shared_ptr<const run::Device> Document::device(long long assembly) {
  auto& device = devices_[assembly];
  if (device) return device;
  auto read = store_ ? run::read_device(*store_, assembly) : Result<run::Device>(run::device_of({}, {}));
  if (!read) complain(read.error());
  device = std::make_shared<const run::Device>(read ? std::move(*read) : run::device_of({}, {}));
  if (!device->trouble.empty()) messages_->say(QString::fromStdString(device->trouble), true);
  return device;
}

const std::vector<dossier::Unit>& Document::units(long long assembly) {
  if (!units_.contains(assembly) && store_)
    units_[assembly] = store_->units(assembly).value_or(std::vector<dossier::Unit>{});
  return units_[assembly];
}

dossier::Unit Document::unit_of(long long id, std::optional<long long> taken) {
  const auto* one = study(id);
  const auto assembly = one ? one->assembly : dossier::kMainAssembly;
  if (const auto* take = taken ? this->take(id, *taken) : nullptr)
    for (const auto& unit : units(assembly))
      if (unit.name == take->unit) return unit;
  return device(assembly)->unit;
}

study::PlanPtr Document::plan(long long id) {
  const auto* one = study(id);
  if (!one) return nullptr;
  auto& facts = facts_[id];
  if (facts.plan_read) return facts.plan;
  facts.plan_read = true;
  const auto* kind = study::find_kind(one->kind);
  auto plan = kind ? kind->plan(one->plan)
                   : Result<study::PlanPtr>(fail(Fault::input, "This version knows no studies of kind \"{}\".", one->kind));
  if (plan)
    facts.plan = *plan;
  else
    complain(plan.error(), id);
  return facts.plan;
}

void Document::reread_takes(long long id) {
  facts_[id].takes.reset();
  emit takes_changed(id);
}

Result<long long> Document::add_study(const QString& name, const study::Kind& kind, long long assembly) {
  if (name.trimmed().isEmpty()) return fail(Fault::usage, "A study needs a name, such as Passband.");
  const auto plan = kind.first_plan(run::surroundings_of(*device(assembly), {}, {}));
  if (!plan) return tl::unexpected(plan.error());
  const auto id = store_->add_study({.name = name.trimmed().toStdString(),
                                     .kind = std::string(kind.name),
                                     .plan = (*plan)->to_json(),
                                     .assembly = assembly});
  if (!id) return id;
  reread_studies();
  emit studies_changed();
  return id;
}

bool Document::drop_pass(long long id, long long take) {
  if (!store_->drop_pass(take)) return false;
  reread_takes(id);
  return true;
}

}  // namespace heron::app
