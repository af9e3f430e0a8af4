#pragma once
#include "app/lenses/one_of_take_lens.h"
#include "power_kind_view.h"

namespace heron::app {

/// A lens about one record of power.
class RecordTakeLens : public OneOfTakeLens<study::power::PowerRecordPtr, study::power::Settings> {
  Q_OBJECT

 protected:
  RecordTakeLens(Desk* desk, QWidget* parent, const char* object, const QString& accessible);
};

}  // namespace heron::app
