#include <algorithm>

#include "document.h"
#include "edit_command.h"
#include "app/text.h"
#include "base/words.h"
#include "exchange/setting_file.h"
#include "judge/claim_words.h"
#include "study/kind.h"

/// Edits of studies: plans, settings, claims, wakes, notes.
namespace heron::app {

void Document::push(const QString& text, std::function<void()> forth, std::function<void()> back) {
  undo_.push(new EditCommand(text, std::move(forth), std::move(back)));
}

bool Document::done(const Result<void>& result, long long id) {
  if (!result) complain(result.error(), id);
  return result.has_value();
}

QString Document::edit_words(long long id, const study::Edits& edits, const study::Surroundings& around) {
  const auto* one = study(id);
  auto next = plan(id);
  if (!one || !next) return "There is no plan to change.";
  const auto before = next->to_json();
  for (const auto& [key, text] : edits) {
    auto changed = next->with(key, text, around);
    if (!changed) return QString::fromStdString(changed.error().message);
    next = std::move(*changed);
  }
  const auto after = next->to_json();
  if (before == after) return {};
  push(
      "Change the brief", [this, id, after] { write_plan(id, after); }, [this, id, before] { write_plan(id, before); });
  return {};
}

void Document::write_plan(long long id, const nlohmann::json& plan) {
  if (!done(store_->set_plan(id, plan), id)) return;
  if (auto* one = find(id)) one->plan = plan;
  facts_[id].plan_read = false;
  facts_[id].plan.reset();
  emit plan_changed(id);
}

QString Document::edit_settings(long long id, const study::Edits& edits) {
  const auto* one = study(id);
  if (!one) return "There is no study yet.";
  const auto* kind = study::find_kind(one->kind);
  if (!kind) return "This version cannot read the study.";
  const auto before = one->settings;
  auto after = before;
  for (const auto& [key, typed] : edits) {
    const auto text = trimmed(typed);
    if (text.empty()) {
      after.erase(key);
      continue;
    }
    const auto kept = exchange::kept_setting(*kind, key, text);
    if (!kept) return QString::fromStdString(kept.error().message);
    if (const auto ok = kind->check_setting(key, *kept); !ok) return QString::fromStdString(ok.error().message);
    after[key] = *kept;
  }
  if (after == before) return {};
  push(
      "Change how the study is read", [this, id, after] { write_settings(id, after); },
      [this, id, before] { write_settings(id, before); });
  return {};
}

void Document::write_settings(long long id, const study::SettingsText& settings) {
  if (!done(store_->set_settings(id, settings), id)) return;
  if (auto* one = find(id)) one->settings = settings;
  emit outdated(id);
  emit reading_changed(id);
}

void Document::judged_anew(long long id) {
  facts_[id].claims.reset();
  facts_[id].masks.reset();
  facts_[id].typed.reset();
  emit outdated(id);
  emit reading_changed(id);
}

void Document::put_claim(long long id, const judge::Claim& claim) {
  if (const auto added = store_->add_claim(id, claim); !added) return complain(added.error(), id);
  judged_anew(id);
}

/// By its words: undone and done again, a claim has another number.
void Document::take_claim(long long id, const std::string& text) {
  const auto all = claims(id);
  for (auto it = all.rbegin(); it != all.rend(); ++it)
    if (it->text == text) {
      if (!done(store_->remove_claim(it->id), id)) return;
      break;
    }
  judged_anew(id);
}

void Document::put_mask(long long id, const judge::Mask& mask) {
  if (const auto added = store_->add_mask(id, mask); !added) return complain(added.error(), id);
  judged_anew(id);
}

void Document::take_mask(long long id, const std::string& text) {
  const auto all = masks(id);
  for (auto it = all.rbegin(); it != all.rend(); ++it)
    if (it->text == text) {
      if (!done(store_->remove_mask(it->id), id)) return;
      break;
    }
  judged_anew(id);
}

QString Document::write_claim(long long id, const QString& line) {
  const auto* one = study(id);
  const auto* kind = one ? study::find_kind(one->kind) : nullptr;
  if (!kind) return "There is no study yet.";
  const auto mask = judge::understand_mask(line.toStdString(), *kind);
  if (!mask) return QString::fromStdString(mask.error().message);
  if (*mask) {
    const auto plan = this->plan(id);
    const auto* hookup = plan ? plan->hookup() : nullptr;
    const auto unit = hookup ? hookup->unit_of((*mask)->curve) : std::nullopt;
    if (unit && !(*mask)->unit.empty() && *unit != (*mask)->unit)
      return QString("%1 is in %2; the limit is in %3.")
          .arg(QString::fromStdString((*mask)->curve), QString::fromStdString(*unit), QString::fromStdString((*mask)->unit));
    if (auto ok = judge::check(**mask, *kind); !ok) return QString::fromStdString(ok.error().message);
    push(
        "Write a mask", [this, id, one_mask = **mask] { put_mask(id, one_mask); },
        [this, id, words = (*mask)->text] { take_mask(id, words); });
    return {};
  }
  const auto claim = judge::understand_claim(line.toStdString(), *kind, judge::names_of(typed(id)));
  if (!claim) return QString::fromStdString(claim.error().message);
  push(
      "Write a claim", [this, id, claim = *claim] { put_claim(id, claim); },
      [this, id, text = claim->text] { take_claim(id, text); });
  return {};
}

void Document::add_claims(long long id, const std::vector<judge::Claim>& all) {
  if (all.empty()) return;
  push(
      all.size() == 1 ? "Write a claim" : "Write claims",
      [this, id, all] {
        for (const auto& claim : all) put_claim(id, claim);
      },
      [this, id, all] {
        for (const auto& claim : all) take_claim(id, claim.text);
      });
}

void Document::remove_claim(long long id, const judge::Claim& claim) {
  push(
      "Take a claim back", [this, id, text = claim.text] { take_claim(id, text); },
      [this, id, claim] { put_claim(id, claim); });
}

void Document::remove_mask(long long id, const judge::Mask& mask) {
  push(
      "Take a mask back", [this, id, text = mask.text] { take_mask(id, text); },
      [this, id, mask] { put_mask(id, mask); });
}

void Document::put_typed(long long id, const judge::TypedFigure& typed) {
  if (!done(store_->type_figure(id, typed), id)) return;
  judged_anew(id);
}

void Document::take_typed(long long id, const judge::TypedFigure& typed) {
  if (!done(store_->remove_typed_figure(id, typed.figure.key, typed.unit), id)) return;
  judged_anew(id);
}

QString Document::type_figure(long long id, long long unit, const QString& line) {
  const auto* one = study(id);
  const auto* kind = one ? study::find_kind(one->kind) : nullptr;
  if (!kind) return "There is no study yet.";
  auto figure = judge::understand_typed(line.toStdString(), *kind);
  if (!figure) return text(figure.error().message);
  figure->unit = unit;
  const auto* before = judge::find_typed(typed(id), figure->figure.key, figure->unit);
  push(
      "Type a figure in", [this, id, figure = *figure] { put_typed(id, figure); },
      [this, id, figure = *figure, before = before ? std::optional(*before) : std::nullopt] {
        before ? put_typed(id, *before) : take_typed(id, figure);
      });
  return {};
}

void Document::remove_typed(long long id, const judge::TypedFigure& typed) {
  push(
      "Take a typed figure out", [this, id, typed] { take_typed(id, typed); },
      [this, id, typed] { put_typed(id, typed); });
}

void Document::write_wake(long long id, std::optional<long long> take) {
  if (!done(store_->set_wake(id, take), id)) return;
  if (auto* one = find(id)) one->wake = take;
  emit wake_changed(id);
}

void Document::set_wake(long long id, std::optional<long long> take) {
  const auto* one = study(id);
  if (!one || one->wake == take) return;
  push(
      take ? "Pin the wake" : "Unpin the wake", [this, id, take] { write_wake(id, take); },
      [this, id, before = one->wake] { write_wake(id, before); });
}

void Document::set_note(long long id, long long take, const QString& note) {
  const auto* one = this->take(id, take);
  if (!one) return;
  const QString before = QString::fromStdString(one->note);
  if (before == note) return;
  const auto write = [this, id, take](const QString& text) {
    if (done(store_->set_note(take, text.toStdString()), id)) reread_takes(id);
  };
  push(
      "Change the note", [write, note] { write(note); }, [write, before] { write(before); });
}

void Document::release(long long id, const std::vector<run::Held>& held) {
  const auto write = [this, id, held](bool released) {
    for (const auto& one : held)
      if (!done(store_->set_released(one.take, one.watch, released), id)) break;
    reread_takes(id);
  };
  push(
      held.size() == 1 ? QString("Release the watch %1").arg(QString::fromStdString(held.front().watch)) : QString("Release the watches"), [write] { write(true); }, [write] { write(false); });
}

void Document::set_aside(long long id, long long take, bool aside) {
  const auto write = [this, id, take](bool now) {
    if (done(store_->set_aside(take, now), id)) reread_takes(id);
  };
  push(
      aside ? "Lay the take aside" : "Judge the take again", [write, aside] { write(aside); },
      [write, aside] { write(!aside); });
}

}  // namespace heron::app
