#pragma once
#include <string>
#include <string_view>

namespace heron::report {

/// Any text as text of HTML or XML, in an attribute too; what XML cannot hold becomes a replacement character.
std::string escaped(std::string_view text);

}  // namespace heron::report
