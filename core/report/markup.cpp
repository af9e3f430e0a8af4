#include "report/markup.h"

#include "base/utf8.h"

namespace heron::report {

std::string escaped(std::string_view text) {
  std::string out;
  for (const char c : as_utf8(std::string(text))) {
    switch (c) {
      case '&':
        out += "&amp;";
        break;
      case '<':
        out += "&lt;";
        break;
      case '>':
        out += "&gt;";
        break;
      case '"':
        out += "&quot;";
        break;
      case '\'':
        out += "&#39;";
        break;
      default:
        if (static_cast<unsigned char>(c) < 0x20 && c != '\n' && c != '\t')
          out += "\uFFFD";
        else
          out += c;
    }
  }
  return out;
}

}  // namespace heron::report
