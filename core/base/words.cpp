#include "base/words.h"

#include <algorithm>
#include <cctype>

namespace heron {

std::string lower(std::string_view text) {
  std::string out(text);
  for (auto& c : out) c = char(std::tolower(static_cast<unsigned char>(c)));
  return out;
}

std::string trimmed(std::string_view text) {
  const auto blank = [](char c) { return std::isspace(static_cast<unsigned char>(c)) != 0; };
  while (!text.empty() && blank(text.back())) text.remove_suffix(1);
  while (!text.empty() && blank(text.front())) text.remove_prefix(1);
  return std::string(text);
}

std::string replaced(std::string text, std::string_view what, std::string_view with) {
  for (auto at = text.find(what); at != std::string::npos; at = text.find(what, at + with.size()))
    text.replace(at, what.size(), with);
  return text;
}

std::vector<std::string> pieces(std::string_view text, char separator) {
  std::vector<std::string> out;
  while (!text.empty()) {
    const auto end = std::min(text.find(separator), text.size());
    if (auto piece = trimmed(text.substr(0, end)); !piece.empty()) out.push_back(std::move(piece));
    text.remove_prefix(std::min(end + 1, text.size()));
  }
  return out;
}

}  // namespace heron
