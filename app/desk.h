#pragma once
#include "batch.h"
#include "document.h"
#include "exporter.h"
#include "focus.h"
#include "kept_look.h"
#include "look.h"
#include "messages.h"
#include "outlook.h"
#include "readings.h"
#include "runner.h"
#include "sensor_list.h"

namespace heron::app {

/// What one window works with: each part alone knows one thing, and only those before it.
struct Desk {
  Messages messages;
  SensorList sensors;
  Document document{&messages};
  Focus focus{&document, &sensors};
  Readings readings{&document, &focus};
  Outlook outlook{&focus, &messages};
  Runner runner{&document, &focus, &outlook, &readings, &messages};
  Batch batch{&document, &runner, &messages};
  Exporter exporter{&document, &messages};
  Look look{nullptr};
  KeptLook kept_look{&document, &focus, &look};

  /// Opens or makes a dossier, unless a take is running.
  bool open(const QString& path) { return free() && document.open(path); }
  bool create(const QString& path) { return free() && document.create(path); }

  /// Says what went wrong with the study in view; nothing where nothing did.
  void complain(const QString& trouble) { messages.say_trouble(trouble, focus.study_id()); }

 private:
  bool free() {
    if (runner.running()) messages.say("A take is running; stop it before opening another dossier.", true);
    return !runner.running();
  }
};

}  // namespace heron::app
