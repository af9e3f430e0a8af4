#include "app/text.h"
#include "main_window.h"

namespace heron::app {

/// Everything that can be done or found by its name.
QList<Finder::Entry> MainWindow::actions() {
  QList<Finder::Entry> out;
  for (const auto& study : desk_.document.studies())
    out << Finder::Entry{"Study: " + QString::fromStdString(study.name), "", [this, id = study.id] {
                           desk_.focus.select_study(id);
                           show_study();
                         }};
  if (desk_.document.is_open()) out << Finder::Entry{"Report: what was found, on pages", "R", [this] { show_report(); }};
  if (desk_.document.is_open()) out << Finder::Entry{"Run all: studies on units, one after another", "", [this] { show_batch(); }};
  if (desk_.focus.study()) {
    out << Finder::Entry{desk_.runner.running() ? "Stop the take" : "Take", desk_.runner.running() ? "Esc" : "Space",
                         [this] { take_or_stop(); }};
    out << Finder::Entry{"Pin the take in view as the wake", "W", [this] { handle_key(Qt::Key_W); }};
    out << Finder::Entry{"Write a note on the study", "", [this] { ask_study_note(); }};
    out << Finder::Entry{"Copy the study: brief, hookup, claims, limit lines", "", [this] { copy_study(); }};
    out << Finder::Entry{"Keep the study as a template", "", [this] { keep_template(); }};
    out << Finder::Entry{"Write a note on the take in view", "N", [this] { handle_key(Qt::Key_N); }};
    for (const auto& take : desk_.focus.takes())
      if (take.id == desk_.focus.shown())
        out << Finder::Entry{take.aside ? "Judge the take in view again" : "Lay the take in view aside: look, do not judge",
                             "", [this, take] { desk_.document.set_aside(desk_.focus.study_id(), take.id, !take.aside); }};
    for (const auto& one : desk_.focus.held())
      out << Finder::Entry{QString("Release the watch %1, which holds since take %2").arg(text(one.watch)).arg(one.number), "", [this, one] { desk_.document.release(desk_.focus.study_id(), {one}); }};
    out << Finder::Entry{"Export the take in view", "", [this] { export_take(); }};
    out << Finder::Entry{"Export the part of the record in view as a table", "", [this] { export_part(); }};
    out << Finder::Entry{"Put the plot into the report as it is seen", "I", [this] { put_into_report(); }};
    out << Finder::Entry{"Save the plot as a picture", "", [this] { save_picture(); }};
    out << Finder::Entry{"Unpin cursors A and B", "", [this] {
                           desk_.look.set_cursor('A', std::nullopt);
                           desk_.look.set_cursor('B', std::nullopt);
                         }};
    out << Finder::Entry{"Write a claim", "", [this] { ask_claim(); }};
    out << Finder::Entry{"Type a figure in: what another meter says of this unit", "", [this] { ask_typed_figure(); }};
    for (const auto& typed : desk_.document.typed(desk_.focus.study_id()))
      if (typed.unit == desk_.document.unit_of(desk_.focus.study_id(), desk_.focus.shown()).id)
        out << Finder::Entry{"Take out the typed figure: " + text(typed.figure.label), "",
                             [this, typed] { desk_.document.remove_typed(desk_.focus.study_id(), typed); }};
    for (const auto& claim : desk_.focus.claims())
      out << Finder::Entry{"Take back the claim: " + QString::fromStdString(claim.text), "",
                           [this, claim] { desk_.document.remove_claim(desk_.focus.study_id(), claim); }};
    for (const auto& mask : desk_.focus.masks())
      out << Finder::Entry{"Take back the mask: " + QString::fromStdString(mask.text), "",
                           [this, mask] { desk_.document.remove_mask(desk_.focus.study_id(), mask); }};
    out << Finder::Entry{"How the study is read: a setting", "", [this] { ask_setting(); }};
    if (const auto* view = find_kind_view(desk_.focus.kind()))
      for (const auto& action : view->actions(&desk_, this)) out << Finder::Entry{action.name, "", action.run};
    if (const auto plan = desk_.focus.plan()) {
      for (const auto& offer : plan->procedures())
        out << Finder::Entry{QString::fromStdString(offer.label), "", [this, offer] { say_trouble(desk_.runner.begin(offer)); }};
      for (const auto& one : plan->stand_ins())
        out << Finder::Entry{QString::fromStdString(one.label), "",
                             [this, one] { say_trouble(desk_.runner.start(one.purpose)); }};
    }
    out << Finder::Entry{"Bring in data", "", [this] { bring_in_data(); }};
    for (int i = 0; i < study_page_->lens_count(); ++i)
      out << Finder::Entry{"Lens: " + study_page_->lens_title(i), QString::number(i + 1), [this, i] {
                             show_study();
                             study_page_->choose_lens(i);
                           }};
  }
  if (desk_.document.is_open()) {
    out << Finder::Entry{"Device, units and parts", "D", [this] { show_device(); }};
    if (desk_.focus.study()) out << Finder::Entry{"Hookup: what is sensed where", "H", [this] { show_hookup(); }};
    out << Finder::Entry{"Overview: all claims on all units", "", [this] { show_overview(); }};
    out << Finder::Entry{"Bench: instruments and their limits", "", [this] { show_bench(); }};
    out << Finder::Entry{"Bring in the takes of another dossier of this device", "", [this] { merge_dossier(); }};
    out << Finder::Entry{"Load a circuit", "", [this] { load_circuit(); }};
    out << Finder::Entry{"Add a study", "", [this] { add_study(); }};
    out << Finder::Entry{"Add a study from a template's file", "", [this] { bring_template(); }};
    auto& undo = desk_.document.undo_stack();
    if (undo.canUndo()) out << Finder::Entry{"Undo: " + undo.undoText(), "Ctrl+Z", [&undo] { undo.undo(); }};
    if (undo.canRedo()) out << Finder::Entry{"Redo: " + undo.redoText(), "Ctrl+Shift+Z", [&undo] { undo.redo(); }};
  }
  const auto& said = desk_.messages.all();
  for (auto it = said.rbegin(); it != said.rend(); ++it)
    out << Finder::Entry{"Said at " + it->at.toString("hh:mm:ss") + ": " + it->text, "",
                         [this, message = *it] { show_again(message); }};
  out << Finder::Entry{"Open a dossier", "Ctrl+O", [this] { choose_dossier(); }};
  out << Finder::Entry{"Make a new dossier", "Ctrl+N", [this] { new_dossier(); }};
  out << Finder::Entry{"Open the demo", "", [this] { open_demo(); }};
  return out + findings();
}

/// What a dossier holds, for those who look for it: claims, takes with what is noted on them, units, parts, figures.
QList<Finder::Entry> MainWindow::findings() {
  QList<Finder::Entry> out;
  if (!desk_.document.is_open()) return out;
  const auto add = [&](const QString& name, std::function<void()> run) { out << Finder::Entry{name, "", std::move(run), true}; };
  const auto look_at = [this](long long study, std::optional<long long> take, const QString& figure) {
    desk_.focus.select_study(study);
    if (take) desk_.focus.show_take(*take);
    if (!figure.isEmpty()) desk_.look.set_figure(figure);
    show_study();
  };
  if (const QString note = desk_.document.device_note(); !note.isEmpty()) add("Note on the device: " + note, [this] { show_device(); });
  for (const auto& unit : desk_.document.units(dossier::kMainAssembly)) {
    const QString serial = unit.serial.empty() ? QString() : ", " + text(unit.serial);
    add("Unit: " + text(unit.name) + serial + (unit.note.empty() ? QString() : ": " + text(unit.note)), [this, id = unit.id] {
      desk_.document.select_unit(id);
      show_device();
    });
  }
  for (const auto& study : desk_.document.studies()) {
    const QString name = text(study.name);
    if (!study.note.empty()) add("Note on " + name + ": " + text(study.note), [=, id = study.id] { look_at(id, {}, {}); });
    for (const auto& claim : desk_.document.claims(study.id)) add("Claim: " + name + ": " + text(claim.text), [=, id = study.id, figure = text(claim.figure)] { look_at(id, {}, figure); });
    for (const auto& mask : desk_.document.masks(study.id)) add("Claim: " + name + ": " + text(mask.text), [=, id = study.id] { look_at(id, {}, {}); });
    for (const auto& take : desk_.document.takes(study.id))
      add(QString("Take %1 of %2, %3%4").arg(take.number).arg(name, text(take.unit), take.note.empty() ? QString() : ": " + text(take.note)), [=, id = study.id, which = take.id] { look_at(id, which, {}); });
  }
  for (const auto& part : desk_.focus.device().parts) add("Part: " + text(part.name) + ", " + text(part.kind) + (part.note.empty() ? QString() : ", " + text(part.note)), [this] { show_device(); });
  if (const auto shown = desk_.readings.shown())
    for (const auto& figure : shown->analysis.reading.figures)
      add("Figure: " + text(figure.label) + " (" + text(figure.key) + ") " + text(format_with_uncertainty(figure.value, figure.u, figure.unit)), [=, id = desk_.focus.study_id(), key = text(figure.key)] { look_at(id, {}, key); });
  return out;
}

}  // namespace heron::app
