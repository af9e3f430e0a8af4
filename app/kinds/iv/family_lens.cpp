#include "family_lens.h"

#include <QInputDialog>
#include <QVBoxLayout>

#include "app/lenses/placed_masks.h"
#include "app/text.h"
#include "base/quantity.h"
#include "render/theme.h"
#include "study/iv/axes.h"
#include "study/iv/compare.h"
#include "study/iv/datasheet.h"
#include "study/iv/figures.h"
#include "study/iv/fits.h"
#include "study/iv/reduce.h"
#include "iv_view.h"

namespace heron::app {
namespace {

constexpr double kReach = 14;  ///< pixels within which a point is meant

QString number(double v, const std::string& unit, int digits = 4) {
  return text(format_quantity(v, unit, digits).plain());
}

/// A label inside a line: "slope dI/dV".
QString small(const std::string& label) {
  QString out = text(label);
  if (!out.isEmpty()) out[0] = out[0].toLower();
  return out;
}

}  // namespace

FamilyLens::FamilyLens(const Over& over, Desk* desk, QWidget* parent)
    : Lens(desk, parent),
      slope_of_transfer_(over.slope_of_transfer),
      first_(over.y),
      y_(over.y),
      bar_(new LookBar(this)),
      plot_(new FamilyPlot(this)) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(2);
  column->addWidget(bar_);
  column->addWidget(plot_);
  for (auto [line, letter] : {std::pair{&from_, "\u25b8"}, {&to_, "\u25c2"}}) {
    *line = new render::CursorLine(plot_, {plot_->axisRect()}, letter);
    (*line)->setVisible(false);
  }
  plot_->setObjectName("family-" + over.name.toLower());
  plot_->setAccessibleName(over.name);
  looking_ = new PlotView(plot_, [this] { plot_->show_all(); });
  plot_->installEventFilter(this);
  cursors_ = new PlotCursors(plot_, &desk_->look, {plot_->axisRect()});
  make_bar();
  connect(&desk_->focus, &Focus::shown_changed, this, &FamilyLens::redraw);
  connect(&desk_->readings, &Readings::live_changed, this, &FamilyLens::redraw);
  connect(&desk_->runner, &Runner::running_changed, this, &FamilyLens::redraw);
  connect(&desk_->focus, &Focus::device_changed, this, &FamilyLens::redraw);
  connect(&desk_->focus, &Focus::plan_changed, this, &FamilyLens::redraw);
  connect(&desk_->readings, &Readings::take_read, this, &FamilyLens::redraw);
  connect(&desk_->document, &Document::opened, this, [this] { looking_->forget(); });
  connect(&desk_->look, &Look::cursors_changed, this, &FamilyLens::place_cursors);
}

void FamilyLens::make_bar() {
  const auto axis_word = [this](Qt::Orientation which) {
    const bool upright = which == Qt::Vertical;
    bar_->add_menu(
        upright ? "What stands upright" : "What goes along", "Another quantity on this axis, or a formula",
        [this, upright] {
          return small(upright ? plot_->along_y().label : plot_->along_x().label) + (upright ? " upright" : " along");
        },
        [this, which] {
          QList<LookBar::MenuLine> out;
          for (const auto& q : study::iv::axis_quantities(family()))
            out << LookBar::MenuLine{text(q.label), [this, which, key = q.key] { set_axis(which, key); }};
          out << LookBar::MenuLine{
              "Formula\u2026", [this, which] {
                bool ok = false;
                const QString typed =
                    QInputDialog::getText(this, "A formula along an axis",
                                          "Over v, i, p, t, step and what the sources read, such as gate_current",
                                          QLineEdit::Normal, "v*i", &ok);
                if (!ok) return;
                desk_->complain(set_axis(which, typed.trimmed().toStdString()));
              }};
          return out;
        });
  };
  axis_word(Qt::Vertical);
  axis_word(Qt::Horizontal);
  bar_->add(
      "Vertical axis", "Linear, or the logarithm of the size: small currents over many decades (L)",
      [this] { return plot_->logarithmic() ? QString("log axis") : QString("linear axis"); },
      [this] { set_logarithmic(!logarithmic_); });
  bar_->add_menu(
      "Below", "A lower plot over the same voltages: the slope, the power...",
      [this] { return plot_->below() ? small(plot_->below()->label) + " below" : QString("nothing below"); },
      [this] {
        QList<LookBar::MenuLine> out = {{"Nothing", [this] { set_below(""); }}};
        for (const auto& q : study::iv::axis_quantities(family()))
          if (q.key != x_ && q.key != y_)
            out << LookBar::MenuLine{text(q.label), [this, key = q.key] { set_below(key); }};
        return out;
      });
  bar_->add(
      "Fits", "The lines that figures are read from, with residual and range; drag the ends of the range (F)",
      [this] { return !plot_->plain() ? QString()
                      : fits_         ? QString("fits shown")
                                      : QString("fits hidden"); },
      [this] { show_fits(!fits_); });
  bar_->add(
      "Against the wake", "Each current as taken, or its difference from the wake's in per cent",
      [this] {
        return !desk_->focus.wake() || y_ != "current" ? QString()
               : against_                           ? QString("against the wake")
                                                    : QString("as taken");
      },
      [this] { set_against_wake(!against_); });
  bar_->refresh();
}

std::shared_ptr<const TakeView> FamilyLens::view() const {
  return desk_->focus.shown() ? desk_->readings.view(*desk_->focus.shown()) : nullptr;
}

const study::iv::Family& FamilyLens::family() const {
  static const study::iv::Family none;
  const auto one = view();
  return family_of(one) ? *family_of(one) : none;
}

/// The axes as chosen, as far as the take in view has them: another study's sources may be unknown to this one.
void FamilyLens::place_axes() {
  const auto named = [&](const std::string& key, const std::string& otherwise) {
    const auto q = study::iv::axis_quantity(family(), key);
    return q ? *q : *study::iv::axis_quantity(family(), otherwise);
  };
  auto y = named(y_, first_);
  if (compared()) y = {"current", "Current against the wake", "%"};
  plot_->set_axes(named(x_, "voltage"), y, logarithmic_ && !compared());
}

/// Whether currents are shown as their difference from the wake's: as asked, where there is a wake that is read.
bool FamilyLens::compared() const {
  if (!against_ || y_ != "current" || !desk_->focus.wake()) return false;
  const auto behind = desk_->readings.view(*desk_->focus.wake());
  return family_of(behind);
}

QString FamilyLens::set_axis(Qt::Orientation which, const std::string& key) {
  if (const auto q = study::iv::axis_quantity(family(), key); !q) return text(q.error().message);
  (which == Qt::Vertical ? y_ : x_) = key;
  redraw();
  return {};
}

void FamilyLens::set_logarithmic(bool on) {
  logarithmic_ = on;
  redraw();
}

void FamilyLens::set_below(const std::string& key) {
  below_ = key;
  redraw();
}

/// What stands below: as chosen, else the transconductance under a transfer curve.
void FamilyLens::place_below() {
  std::string key = below_.value_or("");
  if (!below_ && plot_->plain() && slope_of_transfer_ && desk_->focus.study()) {
    const auto axis = desk_->focus.study()->settings.find("axis");
    if (axis != desk_->focus.study()->settings.end() && axis->second == "transfer") key = "slope";
  }
  const auto q =
      key.empty() ? Result<study::iv::AxisQuantity>(tl::unexpected(Error{})) : study::iv::axis_quantity(family(), key);
  plot_->set_below(q ? std::optional(*q) : std::nullopt);
  for (auto* line : {from_, to_}) line->set_rects(plot_->rects());
  cursors_->set_rects(plot_->rects());
}

void FamilyLens::show_fits(bool on) {
  fits_ = on;
  redraw();
}

void FamilyLens::set_against_wake(bool on) {
  against_ = on;
  redraw();
}

/// Claims that are points of a datasheet, as bars.
std::vector<DatasheetMark> FamilyLens::marks() const {
  std::vector<DatasheetMark> out;
  for (const auto& claim : desk_->focus.claims()) {
    const auto p = study::iv::point_of(claim);
    if (!p || p->of != study::iv::PointOf::current) continue;
    const auto value = [](const std::string& typed, const char* unit) -> std::optional<double> {
      const auto v = parse_value(typed, unit);
      return v ? std::optional(*v) : std::nullopt;
    };
    if (const auto at = value(p->at, "V"))
      out.push_back({*at, value(p->least, "A"), value(p->typical, "A"), value(p->most, "A")});
  }
  return out;
}

void FamilyLens::redraw() {
  stale_ = !isVisible();
  if (stale_) return;
  QList<std::shared_ptr<const TakeView>> held;
  std::vector<std::shared_ptr<study::iv::Family>> made;
  FamilyPicture picture;
  const auto wake = desk_->focus.wake();
  const auto behind = wake ? desk_->readings.view(*wake) : nullptr;
  const auto add = [&](long long id, bool pale) {
    const auto one = desk_->readings.view(id);
    if (!one || !family_of(one)) return;
    const auto* family = &*family_of(one);
    if (compared()) {
      if (pale) return;
      made.push_back(std::make_shared<study::iv::Family>(study::iv::against(*family, *family_of(behind))));
      family = made.back().get();
    }
    held << one;
    picture.takes << FamilyCurves{family, render::take_colour(one->take.number),
                                          render::take_dashed(one->take.number), pale};
  };
  if (wake) add(*wake, true);
  for (const auto id : desk_->focus.overlaid()) add(id, false);
  if (const auto shown = desk_->focus.shown()) add(*shown, false);
  const auto* plan = sweep_plan(*desk_);
  if (!compared()) {
    if (const auto* swept = plan ? plan->swept() : nullptr; swept && plan->sensed_name() == swept->name)
      if (const auto rating = desk_->focus.device().ratings.find(swept->pin); rating != desk_->focus.device().ratings.end())
        picture.area = {rating->second.voltage, rating->second.current, rating->second.power};
    picture.masks = placed_masks(*desk_);
    picture.marks = marks();
    const auto one = view();
    if (fits_ && family_of(one) && desk_->focus.study()) {
      const auto settings = sweep_settings(*desk_);
      if (const auto part = study::iv::within(*family_of(one), settings))
        picture.fits = study::iv::fits_of(*part, settings);
      picture.no_fit = "No line that figures are read from holds over this range.";
    }
  }
  place_axes();
  place_below();
  plot_->show_picture(picture);
  if (plot_->over_voltage() && plan && plan->swept())
    plot_->rects()
        .last()
        ->axis(QCPAxis::atBottom)
        ->setLabel(plan->method == study::iv::Method::waveform ? text(plan->voltage_name) + ", V"
                                                               : "Voltage of " + text(plan->swept()->name) + ", V");
  bar_->refresh();
  place_cursors();
}

void FamilyLens::showEvent(QShowEvent* event) {
  Lens::showEvent(event);
  if (stale_) redraw();
}

const study::iv::Curve* FamilyLens::curve_in_focus(const study::iv::Family& family) const {
  if (family.curves.empty()) return nullptr;
  for (const auto& curve : family.curves)
    if (focus_step_ && curve.step && std::abs(*curve.step - *focus_step_) <= 1e-9 * std::abs(*focus_step_))
      return &curve;
  return &family.curves.back();
}

void FamilyLens::set_cursor(char letter, std::optional<double> voltage) {
  desk_->look.set_cursor(letter, voltage);
}

/// Lines where the cursors stand, what they read on every curve, and cards for the curve that was pointed at.
void FamilyLens::place_cursors() {
  if (!isVisible()) {
    stale_ = true;
    return;
  }
  const auto one = view();
  const bool there = family_of(one) && plot_->over_voltage();
  QList<FamilyPlot::Crossing> crossings;
  QList<CursorCard> cards;
  std::optional<study::iv::AtCursor> read[2];
  cursors_->place(there);
  for (const char letter : {'A', 'B'}) {
    const auto at = desk_->look.cursor(letter);
    if (!there || !at) continue;
    if (plot_->plain() && !compared())
      for (const auto& curve : family_of(one)->curves)
        if (const auto r = study::iv::read_at(*family_of(one), curve, *at)) {
          QString said = number(r->current, "A", 3);
          if (r->gain) said += ", gain " + number(*r->gain, "1", 3);
          crossings << FamilyPlot::Crossing{*at, r->current, r->conductance.value_or(0) >= 0, said};
        }
    const auto* focus = curve_in_focus(*family_of(one));
    if (!focus) continue;
    const auto r = study::iv::read_at(*family_of(one), *focus, *at);
    read[letter - 'A'] = r;
    const QString of = focus->step && family_of(one)->curves.size() > 1
                           ? " on " + text(format_setting(*focus->step, family_of(one)->step_unit))
                           : QString();
    const QString label = QString(letter) + " at " + number(*at, "V", 3);
    if (!r) {
      cards << CursorCard{label, "\u2013", "", "outside"};
      continue;
    }
    cards << value_card(label, r->current, "A", 4, of.isEmpty() ? number(r->power, "W", 3) : of.trimmed());
    if (r->conductance)
      cards << value_card(QString("dI/dV at ") + letter, *r->conductance, "S", 4,
                          r->resistance ? number(*r->resistance, "ohm", 3) : QString());
    if (r->gain) cards << value_card(QString("Gain at ") + letter, *r->gain, "1", 4);
  }
  if (read[0] && read[1] && read[0]->voltage != read[1]->voltage) {
    const auto apart = study::iv::between(*read[0], *read[1]);
    cards << value_card(
        "B \u2212 A", apart.current, "A", 4,
        number(apart.voltage, "V", 3) + (apart.resistance ? ", " + number(*apart.resistance, "ohm", 3) : QString()));
  }
  plot_->show_crossings(crossings);
  if (family_of(one))
    place_range(*family_of(one));
  else
    for (auto* line : {from_, to_}) line->setVisible(false);
  cards_ = std::move(cards);
  emit cards_changed();
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

/// The ends of what is analysed, to be dragged while fits are shown.
void FamilyLens::place_range(const study::iv::Family& family) {
  const bool shown = fits_ && plot_->plain() && !compared() && desk_->focus.study();
  for (auto* line : {from_, to_}) line->setVisible(shown);
  if (!shown || grabbed_) return;
  double low = INFINITY, high = -INFINITY;
  for (const auto& curve : family.curves)
    for (const auto& p : curve.points) {
      low = std::min(low, p.voltage);
      high = std::max(high, p.voltage);
    }
  const auto settings = sweep_settings(*desk_);
  from_->set_position(settings.from.value_or(low));
  to_->set_position(settings.to.value_or(high));
}

bool FamilyLens::handle_key(int key) {
  switch (key) {
    case Qt::Key_L:
      set_logarithmic(!logarithmic_);
      return true;
    case Qt::Key_F:
      show_fits(!fits_);
      return true;
    case Qt::Key_Backspace:
      return looking_->back();
    case Qt::Key_A:
    case Qt::Key_B: {
      const auto one = view();
      if (!one || !family_of(one) || !plot_->over_voltage()) return true;
      QPointF at = plot_->mapFromGlobal(QCursor::pos());
      if (!plot_->axisRect()->rect().contains(at.toPoint())) at = plot_->axisRect()->center();
      if (const auto near = plot_->nearest(*family_of(one), at)) focus_step_ = near->curve->step;
      return cursors_->handle_key(key);
    }
    default:
      return false;
  }
}

/// The nearest point in words: what was applied and read, and the curve's own slope there.
QString FamilyLens::read_out(const QPointF& pixel) const {
  const auto one = view();
  if (!one || !family_of(one) || compared()) return {};
  const auto near = plot_->nearest(*family_of(one), pixel);
  if (!near || near->pixels > kReach) return {};
  const auto& p = near->curve->points[near->point];
  QStringList lines;
  if (near->curve->step && family_of(one)->curves.size() > 1)
    lines << QString("%1 at %2")
                 .arg(text(family_of(one)->step_name), text(format_setting(*near->curve->step, family_of(one)->step_unit)));
  lines << number(p.voltage, "V", 5) + ", " + number(p.current, "A", 5);
  for (const auto& [key, words, unit] : {std::tuple{"power", "", "W"},
                                         {"slope", "dI/dV ", "S"},
                                         {"dynamic", "dV/dI ", "ohm"},
                                         {"gain", "current gain ", "1"}}) {
    const auto offered = study::iv::axis_quantities(*family_of(one));
    if (std::none_of(offered.begin(), offered.end(), [&, k = key](const auto& q) { return q.key == k; })) continue;
    const double value = study::iv::along(*family_of(one), *near->curve, key)[near->point];
    if (std::isfinite(value)) lines << words + number(value, unit);
  }
  if (p.at_compliance) lines << "at compliance: the source's limit, not the device";
  if (p.clipped) lines << "an input was at the end of its range";
  return lines.join("\n");
}

bool FamilyLens::eventFilter(QObject* watched, QEvent* event) {
  if (watched != plot_) return false;
  switch (event->type()) {
    case QEvent::MouseButtonPress: {
      const auto* mouse = static_cast<QMouseEvent*>(event);
      if (mouse->button() != Qt::LeftButton) return false;
      constexpr double kGrab = 6;  // pixels
      for (auto* line : {from_, to_})
        if (const double away = line->selectTest(mouse->position(), false);
            line->visible() && away >= 0 && away < kGrab) {
          grabbed_ = line;
          return true;
        }
      return false;
    }
    case QEvent::MouseMove: {
      const auto* mouse = static_cast<QMouseEvent*>(event);
      if (!grabbed_) return false;
      const double voltage = plot_->xAxis->pixelToCoord(mouse->position().x());
      grabbed_->set_position(voltage);
      plot_->replot(QCustomPlot::rpQueuedReplot);
      return true;
    }
    case QEvent::MouseButtonRelease: {
      if (!grabbed_) return false;
      auto* let_go = std::exchange(grabbed_, nullptr);
      if (!(from_->key() < to_->key())) {
        desk_->complain("The lower end of the range stays below the upper one.");
        redraw();
        return true;
      }
      const QString typed = text(fmt::format("{:.5g} V", let_go->key()));
      if (const QString trouble = desk_->focus.edit_setting(let_go == from_ ? "from" : "to", typed); !trouble.isEmpty()) {
        desk_->messages.say(trouble, true);
        redraw();
      }
      return true;
    }
    case QEvent::ToolTip: {
      auto* help = static_cast<QHelpEvent*>(event);
      if (const QString words = read_out(help->pos()); words.isEmpty())
        QToolTip::hideText();
      else
        QToolTip::showText(help->globalPos(), words, plot_);
      return true;
    }
    default:
      return false;
  }
}

}  // namespace heron::app
