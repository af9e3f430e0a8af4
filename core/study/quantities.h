#pragma once
#include <complex>
#include <span>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "bench/hookup.h"
#include "study/raw.h"

/// From volts at the inputs to the quantities: factors, zeros, and what is computed from others. Every point carries in
/// its setting what is needed for it.
namespace heron::study {

/// What a point keeps of the hookup, so that its records explain themselves.
void describe_hookup(nlohmann::json& setting, const bench::Hookup& hookup,
                     const std::vector<std::pair<std::string, double>>& parts);

/// What integers of a device's own converters stand for, by quantity.
void describe_codes(nlohmann::json& setting, const bench::Capture& capture, std::span<const std::string> names);

/// The record's channel behind a role of a point, in the quantity's unit: factor and zero applied; computed where the
/// hookup says so. `channel` is null for a computed quantity.
struct RoleSamples {
  /// What an input does to the alternating part of a computed quantity.
  struct Share {
    const Channel* channel;
    double u_gain = 0;            ///< relative, of the input and its sensor
    std::complex<double> effect;  ///< relative change of the quantity for one of the input's gain
  };
  std::string quantity, unit;
  std::vector<double> values;
  const Channel* channel = nullptr;
  bench::Sensing sensing;
  std::vector<Share> shares = {};  ///< of a computed quantity, one for each input
};
/// @param frequency  Hz of a tone that is meant; 0: whatever alternates, of which an effect's angle has no sign
Result<RoleSamples> role_samples(const Point& point, const Record& record, std::string_view role, double frequency = 0);

/// What an input read, in the quantity that its sensor stands for.
std::vector<double> in_quantity(const bench::ChannelRecord& channel, const bench::Sensing& sensing);

/// All channels of a record in their quantities, then those computed from them; rows of one length.
struct Quantities {
  std::vector<std::string> names;
  std::vector<std::vector<double>> rows;

  const std::vector<double>* find(std::string_view name) const;
};
/// What an error of a channel or of a part would do.
struct Moved {
  std::string name = {};  ///< of a channel or a part
  double factor = 1;      ///< what it is multiplied by
  double plus = 0;        ///< what is added to a channel, V at the input
};
Result<Quantities> quantities_of(const Point& point, const Record& record, const Moved& moved = {});

}  // namespace heron::study
