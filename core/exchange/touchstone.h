#pragma once
#include <array>
#include <complex>
#include <string>
#include <string_view>
#include <vector>

#include "base/result.h"
#include "study/raw.h"

/// Network parameters of one- and two-ports as text: the Touchstone file format, versions 1.1 and 2.0.
namespace heron::exchange {

struct NetworkData {
  int ports = 1;
  char kind = 'S';                                            ///< S, Y, Z, H or G
  double reference = 50;                                      ///< ohm, of port 1
  std::vector<double> frequency;                              ///< Hz, rising
  std::vector<std::array<std::complex<double>, 4>> elements;  ///< 11, 21, 12, 22; one-ports have the first alone
  std::string notes;                                          ///< the comments
};

enum class PairForm { real_imaginary, magnitude_angle, decibel_angle };

/// Errors name file and line: a wrong number of values, a frequency that does not rise, an unknown keyword, an end too
/// early. Noise parameters are skipped.
/// @param file  its ending, .s1p or .s2p, says the ports of a version 1 file
Result<NetworkData> read_touchstone(std::string_view text, const std::string& file);

struct TouchstoneForm {
  int version = 1;  ///< 1 or 2
  PairForm pairs = PairForm::real_imaginary;
  std::string unit = "Hz";  ///< Hz, kHz, MHz or GHz
};
std::string write_touchstone(const NetworkData& data, const TouchstoneForm& form = {});

/// One element as a table of frequency, real and imag.
/// @param element  "S11", "S21", "Z11"...; a Z or Y of a one-port is made of its S where the file holds that.
/// Fault::usage
///                 for what the file does not hold.
Result<study::Record> network_element(const NetworkData& data, const std::string& element);

/// "S11" of one port, "S21" of two.
std::string usual_element(const NetworkData& data);

}  // namespace heron::exchange
