#include "study/conversion/regulation.h"

#include <algorithm>
#include <cmath>

#include "base/quantity.h"
#include "study/conversion/read_at.h"

namespace heron::study::conversion {
namespace {

constexpr double kSpan = 0.005;  ///< of the highest: lines or loads that differ by less are one

/// @param along  what the span is of
Regulated regulated(const Rows& rows, Port along, const Settings& settings) {
  const double middle = (rows.front().at(along) + rows.back().at(along)) / 2;
  std::size_t k = 1;
  while (k + 1 < rows.size() && rows[k].at(along) < middle) ++k;
  const Rows used = {rows.front(), rows[k - 1], rows[k], rows.back()};
  const auto difference = [](const Rows& r) { return r[3].vout() - r[0].vout(); };
  const auto percent = [&](const Rows& r) {
    const double base = settings.nominal ? *settings.nominal : between((r[0].at(along) + r[3].at(along)) / 2, r[1].at(along), r[1].vout(), r[2].at(along), r[2].vout());
    return 100 * difference(r) / base;
  };
  // A row that stands twice among those used is one row: its errors are moved together.
  const auto by_place = [&](const std::function<double(const Rows&)>& of) {
    Rows one;
    std::array<std::size_t, 4> place{};
    const std::array<std::size_t, 4> of_rows = {0, k - 1, k, rows.size() - 1};
    for (std::size_t n = 0; n < 4; ++n) {
      const auto before = std::find(of_rows.begin(), of_rows.begin() + std::ptrdiff_t(n), of_rows[n]);
      if (before != of_rows.begin() + std::ptrdiff_t(n)) {
        place[n] = place[std::size_t(before - of_rows.begin())];
        continue;
      }
      place[n] = one.size();
      one.push_back(used[n]);
    }
    return with_u(one, [&](const Rows& r) { return of({r[place[0]], r[place[1]], r[place[2]], r[place[3]]}); });
  };
  return {by_place(difference), by_place(percent), by_place([&](const Rows& r) { return percent(r) / (r[3].at(along) - r[0].at(along)); })};
}

bool spans(const Rows& rows, Port along) {
  return rows.size() > 1 && rows.back().at(along) - rows.front().at(along) > kSpan * std::max(std::abs(rows.back().at(along)), std::abs(rows.front().at(along)));
}

/// The largest in magnitude over all curves that span anything.
template <class Curve>
std::optional<Regulated> worst_regulated(const std::vector<Curve>& curves, Port along, const Settings& settings) {
  std::optional<Regulated> out;
  for (const auto& c : curves) {
    if (!spans(c.rows, along)) continue;
    auto one = regulated(c.rows, along, settings);
    if (!out || std::abs(one.volts.value) > std::abs(out->volts.value)) out = one;
  }
  return out;
}

/// @param curve  of two lines at least
tl::expected<Value, std::string> dropout_of(const LineCurve& curve, double fraction) {
  const auto& rows = curve.rows;
  for (std::size_t k = rows.size() - 1; k-- > 0;) {
    const double level = (1 - fraction) * rows.back().vout();
    if (rows[k].vout() > level) continue;
    const auto of = [&](double vout0, double vout1, double vin0, double vin1, double top) {
      const double at = (1 - fraction) * top;
      return between(at, vout0, vin0, vout1, vin1) - at;
    };
    auto out = k + 1 == rows.size() - 1 ? with_u({rows[k], rows[k + 1]}, [&](const Rows& r) { return of(r[0].vout(), r[1].vout(), r[0].vin(), r[1].vin(), r[1].vout()); })
                                        : with_u({rows[k], rows[k + 1], rows.back()}, [&](const Rows& r) { return of(r[0].vout(), r[1].vout(), r[0].vin(), r[1].vin(), r[2].vout()); });
    // The output bends between the two where it begins to follow the input: what the line below says otherwise.
    if (k > 0 && rows[k].vout() > rows[k - 1].vout())
      out.u_own = std::hypot(out.u_own, std::abs(of(rows[k - 1].vout(), rows[k].vout(), rows[k - 1].vin(), rows[k].vin(), rows.back().vout()) - out.value));
    return out;
  }
  return tl::unexpected(fmt::format("the output does not fall {:.3g} % below its regulated value; read lower lines", 100 * fraction));
}

}  // namespace

std::optional<Regulated> line_regulation(const Rows& rows, const Settings& settings) { return worst_regulated(line_curves(rows), Port::vin, settings); }
std::optional<Regulated> load_regulation(const Rows& rows, const Settings& settings) { return worst_regulated(load_curves(rows), Port::iout, settings); }

tl::expected<Value, std::string> dropout_at(const Rows& rows, double current, const Settings& settings) {
  const auto curves = line_curves(rows);
  const LineCurve *below = nullptr, *above = nullptr;
  double nearest = INFINITY;
  const LineCurve* at = nullptr;
  for (const auto& c : curves) {
    if (c.rows.size() < 2) continue;
    const double off = std::abs(c.load - current);
    if (off < nearest) {
      nearest = off;
      at = &c;
    }
    if (c.load <= current && (!below || c.load > below->load)) below = &c;
    if (c.load >= current && (!above || c.load < above->load)) above = &c;
  }
  if (!at) return tl::unexpected<std::string>("it wants several lines at one load");
  if (nearest <= kAsked * std::abs(current)) return dropout_of(*at, settings.dropout_fraction);
  if (!below || !above) return tl::unexpected(fmt::format("{} lies outside the loads that were read", format_quantity(current, "A", 4).plain()));
  const auto low = dropout_of(*below, settings.dropout_fraction), high = dropout_of(*above, settings.dropout_fraction);
  if (!low) return low;
  if (!high) return high;
  const double share = (current - below->load) / (above->load - below->load);
  return Value{(1 - share) * low->value + share * high->value, std::hypot((1 - share) * low->u_own, share * high->u_own), (1 - share) * low->u_shared + share * high->u_shared};
}

}  // namespace heron::study::conversion
