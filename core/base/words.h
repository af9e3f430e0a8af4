/// Small work on text that people typed.
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace heron {

/// ASCII letters small; anything else stays.
std::string lower(std::string_view text);
/// Without blanks at either end.
std::string trimmed(std::string_view text);
std::string replaced(std::string text, std::string_view what, std::string_view with);
/// What stands between the separators, trimmed; empty pieces are left out.
std::vector<std::string> pieces(std::string_view text, char separator = ',');

}  // namespace heron
