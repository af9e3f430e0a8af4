#pragma once
#include "app/lenses/one_of_take_lens.h"
#include "switching_view.h"

namespace heron::app {

/// A lens about one shot.
class ShotLens : public OneOfTakeLens<study::switching::ReadShotPtr, study::switching::Settings> {
  Q_OBJECT

 protected:
  ShotLens(Desk* desk, QWidget* parent, const char* object, const QString& accessible);
};

/// From where the first figure of an event was read to where the last was, s; nothing where none was.
std::optional<QCPRange> span_of(const study::switching::Edge& edge);
/// A setting of the study in view changed; what speaks against it is said.
void set_of_study(Desk* desk, const study::Edits& edits);

}  // namespace heron::app
