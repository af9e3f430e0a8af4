#include "kept_look.h"

#include "kinds/kind_view.h"

namespace heron::app {

KeptLook::KeptLook(Document* document, Focus* focus, Look* look) : document_(document), focus_(focus), look_(look) {
  constexpr int kRests = 400;  // ms
  soon_.setSingleShot(true);
  soon_.setInterval(kRests);
  connect(&soon_, &QTimer::timeout, this, &KeptLook::write);
  connect(document_, &Document::closing, this, [this] {
    write();
    study_ = 0;
    kind_ = nullptr;
  });
  connect(focus_, &Focus::study_changed, this, &KeptLook::take_up);
  connect(look_, &Look::changed, this, &KeptLook::note);
  connect(look_, &Look::cursors_changed, this, &KeptLook::note);
  connect(look_, &Look::lens_changed, this, &KeptLook::note);
}

void KeptLook::take_up() {
  write();
  study_ = 0;
  const auto* study = focus_->study();
  const auto* kind = focus_->kind();
  const auto* view = find_kind_view(kind);
  // Cursors of frequencies mean nothing among voltages, nor one device's voltages at another.
  look_->take_up(study ? study->look : nlohmann::json::object(), kind == kind_ && view && view->keeps_cursors());
  kind_ = kind;
  study_ = focus_->study_id();
  known_ = look_->kept();
}

void KeptLook::note() {
  if (study_ != 0 && look_->kept() != known_) soon_.start();
}

void KeptLook::write() {
  soon_.stop();
  if (study_ == 0 || look_->kept() == known_) return;
  known_ = look_->kept();
  document_->set_look(study_, known_);
}

}  // namespace heron::app
