#include "study/iv/reduced.h"

#include <algorithm>

#include "study/iv/doubts.h"
#include "study/iv/figures.h"
#include "study/iv/reduce.h"
#include "study/iv/settings.h"
#include "study/iv/tables.h"

namespace heron::study::iv {
namespace {

constexpr std::size_t kSmall = 256;  ///< places of a small picture, of all curves together

class FamilyReducer final : public Reducer {
 public:
  Result<void> add(const Point& point) override {
    const bool out = point.setting.purpose() == kDeviceOut;
    opened_ = opened_ || out;
    return (out ? open_ : own_).add(point);
  }

  Result<ReducedPtr> so_far() const override {
    auto family = own_.family();
    if (!family) return tl::unexpected(family.error());
    if (opened_) {
      const auto without = open_.family();
      if (!without) return tl::unexpected(without.error());
      if (auto ok = take_off(*family, *without); !ok) return tl::unexpected(ok.error());
    }
    return std::make_shared<const ReducedFamily>(std::move(*family));
  }

 private:
  Assembly own_, open_;
  bool opened_ = false;
};

}  // namespace

Result<Analysis> ReducedFamily::read(const SettingsText& text, const std::vector<std::string>& asked) const {
  const auto settings = settings_from_text(text);
  if (!settings) return tl::unexpected(settings.error());
  const auto part = within(family_, *settings);
  if (!part) return tl::unexpected(part.error());
  Analysis out{iv::read(*part, *settings, asked), as_columns(*part), as_text(*settings)};
  out.reading.doubts = find_doubts(*part, *settings, asked, out.reading);
  return out;
}

/// Figures are drawn so often for their uncertainties that no family is read within a frame.
bool ReducedFamily::quick() const { return false; }

Columns ReducedFamily::small() const {
  Columns out{.x_name = "voltage", .x_unit = "V", .logarithmic = false, .x = {}};
  for (const auto& curve : family_.curves) {
    auto& column = out.columns.emplace_back(Columns::Column{"current", "A", {}, {}, curve.step});
    for (const auto& p : curve.points) {
      column.x.push_back(p.voltage);
      column.y.push_back(p.current);
    }
  }
  return thinned(std::move(out), std::max<std::size_t>(8, kSmall / std::max<std::size_t>(1, family_.curves.size())));
}

std::optional<Record> ReducedFamily::readings() const { return as_table(family_); }

std::size_t ReducedFamily::bytes() const {
  std::size_t out = sizeof *this;
  for (const auto& curve : family_.curves)
    for (const auto& p : curve.points)
      out += sizeof p + p.shared.size() * sizeof(SharedError) + p.all.size() * sizeof(double);
  return out;
}

Result<std::unique_ptr<Reducer>> reducer(const SettingsText& text) {
  if (const auto settings = settings_from_text(text); !settings) return tl::unexpected(settings.error());
  return std::make_unique<FamilyReducer>();
}

}  // namespace heron::study::iv
