#include "placed_masks.h"

namespace heron::app {

std::vector<judge::Mask> placed_masks(Desk& desk) {
  const auto view = desk.readings.shown();
  const study::Reading nothing;
  std::vector<judge::Mask> out;
  for (const auto& mask : desk.focus.masks())
    if (auto there = judge::placed(mask, view ? view->analysis.reading : nothing)) out.push_back(std::move(*there));
  return out;
}

QList<render::ForbiddenGround*> grounds_on(Desk& desk, const LimitedCurve& curve, QCPAxisRect* rect, bool filled) {
  constexpr double kNowhere = 1e-15;  // that a limit from zero begins at on a logarithmic axis
  const bool by_ratio = rect->axis(QCPAxis::atBottom)->scaleType() == QCPAxis::stLogarithmic;
  QList<render::ForbiddenGround*> out;
  for (const auto& mask : placed_masks(desk)) {
    if (mask.curve.substr(0, mask.curve.find(" at ")) != curve.name || (!mask.along.empty() && mask.along != curve.along)) continue;
    for (const bool upper : {true, false}) {
      QVector<QPointF> line;
      for (const auto& [x, y] : upper ? mask.upper : mask.lower) line << QPointF(by_ratio ? std::max(x, kNowhere) : x, curve.factor * (y + curve.lift));
      if (line.isEmpty()) continue;
      line.front().rx() -= curve.beside;
      line.back().rx() += curve.beside;
      auto* ground = new render::ForbiddenGround(rect->parentPlot(), rect, line, upper, nullptr, filled);
      if (auto* behind = rect->parentPlot()->layer("wake")) ground->setLayer(behind);
      out << ground;
    }
  }
  return out;
}

std::vector<LimitLine> limits_over_time(Desk& desk, const std::map<std::string, std::string>& called) {
  std::vector<LimitLine> out;
  for (const auto& mask : placed_masks(desk))
    for (const bool upper : {true, false}) {
      if (!mask.along.empty() && mask.along != "s") continue;
      const auto other = called.find(mask.curve);
      LimitLine one{.quantity = other == called.end() ? mask.curve : other->second, .line = {}, .upper = upper};
      for (const auto& [x, y] : upper ? mask.upper : mask.lower) one.line << QPointF(x, y);
      if (!one.line.isEmpty()) out.push_back(std::move(one));
    }
  return out;
}

}  // namespace heron::app
