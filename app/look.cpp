#include "look.h"

#include <QSettings>

namespace heron::app {

Look::Look(QObject* parent) : QObject(parent) {
  const QSettings settings;
  in_db_ = settings.value("look/db", true).toBool();
  unwrapped_ = settings.value("look/unwrapped", true).toBool();
  logarithmic_ = settings.value("look/logarithmic", true).toBool();
  expected_ = settings.value("look/expected", true).toBool();
}

void Look::keep() const {
  QSettings settings;
  settings.setValue("look/db", in_db_);
  settings.setValue("look/unwrapped", unwrapped_);
  settings.setValue("look/logarithmic", logarithmic_);
  settings.setValue("look/expected", expected_);
}

void Look::set_cursor(char letter, std::optional<double> frequency) {
  auto& cursor = letter == 'A' ? a_ : b_;
  if (cursor == frequency) return;
  cursor = frequency;
  emit cursors_changed();
}

void Look::set_figure(const QString& key) {
  if (figure_ == key) return;
  figure_ = key;
  emit figure_changed();
}

}  // namespace heron::app
