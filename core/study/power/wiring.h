#pragma once
#include <array>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "study/power/settings.h"

/// Which quantity is which phase's voltage and current.
namespace heron::study::power {

enum class Form : std::uint8_t {
  single,  ///< one voltage, one current
  star,    ///< three voltages against neutral
  lines,   ///< three voltages from line to line
};

/// Of a channel.
struct Placed {
  std::size_t trace = 0;
  double factor = 1;
  std::string role;  ///< "va", "vab", "ib"
};

struct Wiring {
  Form form = Form::single;
  std::vector<Placed> voltages;  ///< one, or three in the order a b c (ab bc ca)
  std::vector<Placed> currents;  ///< as many; none where none is there
  std::size_t cycles_by = 0;     ///< of voltages, then currents: the channel that tells the cycles

  std::size_t phases() const { return voltages.empty() ? currents.size() : voltages.size(); }
};

bool is_role(std::string_view role);
/// "v, i, va, ..." for errors.
std::string all_roles();

/// By the settings, else by what quantities are called ("va", "v_a", "v.a" alike), else by their units where only one
/// voltage and one current are there.
/// @return Fault::input where a phase is missing, or a quantity that a setting names: a phase's, or that which tells the cycles
Result<Wiring> wiring_of(const Waveforms& record, const Settings& settings);

inline constexpr std::array<const char*, 3> kPhases = {"a", "b", "c"};

}  // namespace heron::study::power
