#include <algorithm>

#include "study/conversion/kind.h"
#include "study/iv/kind.h"
#include "study/kind.h"
#include "study/power/kind.h"
#include "study/response/kind.h"
#include "study/spectrum/kind.h"
#include "study/switching/kind.h"
#include "study/waveform/kind.h"

namespace heron::study {

namespace {

std::vector<const Kind*>& registry() {
  static std::vector<const Kind*> all = {&response::kind(), &iv::kind(), &waveform::kind(), &spectrum::kind(), &power::kind(), &conversion::kind(), &switching::kind()};
  return all;
}

}  // namespace

const std::vector<const Kind*>& kinds() { return registry(); }

void add_kind(const Kind& kind) { registry().push_back(&kind); }

const Kind* find_kind(std::string_view name) {
  const auto it = std::find_if(kinds().begin(), kinds().end(), [&](const Kind* k) { return k->name == name; });
  return it == kinds().end() ? nullptr : *it;
}

const ColumnRole* Kind::find_role(std::string_view role) const {
  const auto it = std::find_if(columns.begin(), columns.end(), [&](const ColumnRole& r) { return r.name == role; });
  return it == columns.end() ? nullptr : &*it;
}

std::optional<std::string> Kind::unit_of(std::string_view key) const {
  if (unit) return unit(key);
  const auto base = key.substr(0, key.find_first_of("@("));
  for (const auto& figure : figures())
    if (figure.key == base) return figure.unit;
  return std::nullopt;
}

Result<ReducedPtr> Kind::reduce(const std::vector<Point>& points, const SettingsText& settings) const {
  const auto joined = reducer(settings);
  if (!joined) return tl::unexpected(joined.error());
  for (const auto& point : points)
    if (!point.setting.readable())
      return fail(Fault::input, "Point {}: how it was taken cannot be read.", point.index + 1);
  for (const auto& point : points)
    if (auto ok = (*joined)->add(point); !ok) return tl::unexpected(ok.error());
  return (*joined)->so_far();
}

Result<Analysis> Kind::analyse(const std::vector<Point>& points, const SettingsText& settings,
                               const std::vector<std::string>& asked) const {
  const auto reduced = reduce(points, settings);
  if (!reduced) return tl::unexpected(reduced.error());
  return (*reduced)->read(settings, asked);
}

}  // namespace heron::study
