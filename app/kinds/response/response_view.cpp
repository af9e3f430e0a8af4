#include "response_view.h"

#include <QInputDialog>

#include "app/lenses/figures_lens.h"
#include "app/lenses/look_bar.h"
#include "app/text.h"
#include "base/quantity.h"
#include "bode_lens.h"
#include "compare_lens.h"
#include "impedance_lens.h"
#include "plane_lens.h"
#include "point_lens.h"
#include "points_lens.h"
#include "study/response/cursors.h"
#include "study/response/kind.h"
#include "study/response/reduced.h"
#include "study/response/study_plan.h"

namespace heron::app {

namespace response = study::response;

const response::Plan& response_plan(const Desk& desk) {
  static const response::Plan none;
  const auto* one = dynamic_cast<const response::PlannedResponse*>(desk.focus.plan().get());
  return one ? one->plan() : none;
}

response::Settings response_settings(const Desk& desk) {
  const auto* study = desk.focus.study();
  return study ? response::settings_from_text(study->settings).value_or(response::Settings{}) : response::Settings{};
}

bool of_impedance(const Desk& desk) { return response_plan(desk).quantity == response::Quantity::impedance; }

const response::Curve& curve_of(const TakeView* view) {
  static const response::Curve none;
  const auto* one = view ? dynamic_cast<const response::ReducedResponse*>(view->reduced.get()) : nullptr;
  return one ? one->curve() : none;
}

std::shared_ptr<const response::ExpectedCurve> expected_response(const Desk& desk) {
  return std::dynamic_pointer_cast<const response::ExpectedCurve>(desk.outlook.expected());
}

void add_bode_words(LookBar& bar, Desk* desk) {
  auto& look = desk->look;
  bar.add(
      "Gain in dB or as a ratio", "How the gain is written",
      [&look, desk] {
        return of_impedance(*desk) ? QString() : look.in_db() ? "gain in dB" : "gain as a ratio";
      },
      [&look] { look.set_in_db(!look.in_db()); });
  bar.add(
      "Phase unwrapped or wrapped", "Unwrapped: followed through whole turns. Wrapped: within \u00b1180\u00b0",
      [&look] { return look.unwrapped() ? "phase unwrapped" : "phase wrapped"; },
      [&look] { look.set_unwrapped(!look.unwrapped()); });
  bar.add(
      "Frequency axis", "Logarithmic or linear frequency axis",
      [&look] { return look.logarithmic() ? "log frequency" : "linear frequency"; },
      [&look] { look.set_logarithmic(!look.logarithmic()); });
  bar.add(
      "Expected curve", "What the circuit or the study's formula expects, with the band of the parts' tolerances",
      [&look, desk] {
        return desk->outlook.expected() ? (look.expected() ? "expected shown" : "expected hidden") : QString();
      },
      [&look] { look.set_expected(!look.expected()); });
}

QList<CursorCard> response_cards(Desk& desk) {
  QList<CursorCard> out;
  const auto view = desk.readings.shown();
  if (!view) return out;
  std::optional<response::CursorReading> read[2];
  const auto angle = [](const std::optional<double>& degrees) {
    return degrees ? text(format_quantity(*degrees, "1", 4).number) + " \u00b0" : QString();
  };
  for (const char letter : {'A', 'B'}) {
    const auto at = desk.look.cursor(letter);
    auto& r = read[letter - 'A'];
    if (at) r = response::read_at(curve_of(view), *at);
    if (!r) continue;
    const auto gain = format_quantity(r->gain_db, "dB", 4);
    out << CursorCard{QString("%1 at %2").arg(letter).arg(text(format_quantity(r->frequency, "Hz", 4).plain())),
                      text(gain.number), text(gain.unit), angle(r->phase_deg)};
  }
  if (!read[0] || !read[1]) return out;
  const auto d = response::difference(*read[0], *read[1]);
  const auto gain = format_quantity(d.gain_db, "dB", 3);
  out << CursorCard{"B \u2212 A over " + text(format_quantity(d.decades, "1", 4).number) + " dec", text(gain.number),
                    text(gain.unit), angle(d.phase_deg)};
  if (d.db_per_decade) {
    const auto slope = format_quantity(*d.db_per_decade, "dB/decade", 3);
    out << CursorCard{"Slope A to B", text(slope.number), text(slope.unit), ""};
  }
  return out;
}

namespace {

class ResponseView final : public KindView {
 public:
  const study::Kind& kind() const override { return response::kind(); }

  std::vector<LensOffer> lenses() const override {
    const auto bode = [](Desk* desk, QWidget* parent) {
      auto* lens = new BodeLens(desk, parent);
      lens->setObjectName("lens-bode");
      return lens;
    };
    const auto plane = [](Plane which) {
      return [which](Desk* desk, QWidget* parent) { return new PlaneLens(which, desk, parent); };
    };
    const auto delay = [](Desk* desk, QWidget* parent) { return new BodeLens(desk, parent, Over::delay); };
    return {{"Bode", bode},
            {"Nyquist", plane(Plane::nyquist)},
            {"Nichols", plane(Plane::nichols)},
            {"Delay", delay},
            {"Impedance", make<ImpedanceLens>, of_impedance},
            {"Compare", make<CompareLens>},
            {"Behind the point", make<PointLens>, nullptr, true},
            {"Points", make<PointsLens>},
            {"Figures", make<FiguresLens>}};
  }

  bool keeps_cursors() const override { return true; }

  QList<KindAction> actions(Desk* desk, QWidget* window) const override {
    return {{"Expected curve by a formula", [desk, window] {
               const auto now = response_settings(*desk);
               bool ok = false;
               const QString typed = QInputDialog::getText(
                   window, "Expected curve", "circuit, none, or H over part values, f, w and s, such as 20/(1 + s*R6*C6)",
                   QLineEdit::Normal,
                   now.expectation == response::Expectation::none ? "none"
                   : now.expectation == response::Expectation::circuit
                       ? "circuit"
                       : QString::fromStdString(now.expected_formula),
                   &ok);
               if (ok) desk->messages.say_trouble(desk->focus.edit_setting("expected", typed == "circuit" ? "" : typed));
             }}};
  }

  QString setting_examples() const override { return "estimator = H2 or coherence_limit = 0.7"; }
  QString claim_examples() const override {
    return "High corner at least 18 kHz; Gain at 1 kHz 26 \u00b10.5 dB; Low corner 15 to 25 Hz;\n"
           "or a limit line: gain at most 27 dB from 100 Hz to 10 kHz";
  }
};

}  // namespace

const KindView& response_view() {
  static const ResponseView self;
  return self;
}

}  // namespace heron::app
