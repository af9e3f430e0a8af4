#pragma once
#include <string>

namespace heron {

/// A share in per cent for a sentence, to two digits and never with an exponent: "1.4 %", "174 %".
std::string in_percent(double share);

}  // namespace heron
