#pragma once
#include "app/kinds/kind_view.h"
#include "study/response/expected.h"
#include "study/response/plan.h"
#include "study/response/reduce.h"
#include "study/response/settings.h"

namespace heron::app {

const KindView& response_view();

/// The study in view as a response; defaults where it is of another kind.
const study::response::Plan& response_plan(const Desk& desk);
study::response::Settings response_settings(const Desk& desk);
bool of_impedance(const Desk& desk);
/// What a take came to; empty for none.
const study::response::Curve& curve_of(const TakeView* view);
inline const study::response::Curve& curve_of(const TakeViewPtr& view) { return curve_of(view.get()); }
/// Null where nothing is expected, or not yet.
std::shared_ptr<const study::response::ExpectedCurve> expected_response(const Desk& desk);

/// What the cursors read of the take in view.
QList<CursorCard> response_cards(Desk& desk);

class LookBar;
/// The words that gain-and-phase plots share.
void add_bode_words(LookBar& bar, Desk* desk);

}  // namespace heron::app
