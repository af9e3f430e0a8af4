#include "base/utf8.h"

#include <array>
#include <cstdint>

namespace heron {
namespace {

void append(std::string& out, char32_t c) {
  if (c < 0x80) {
    out += char(c);
  } else if (c < 0x800) {
    out += char(0xC0 | (c >> 6));
    out += char(0x80 | (c & 0x3F));
  } else if (c < 0x10000) {
    out += char(0xE0 | (c >> 12));
    out += char(0x80 | ((c >> 6) & 0x3F));
    out += char(0x80 | (c & 0x3F));
  } else {
    out += char(0xF0 | (c >> 18));
    out += char(0x80 | ((c >> 12) & 0x3F));
    out += char(0x80 | ((c >> 6) & 0x3F));
    out += char(0x80 | (c & 0x3F));
  }
}

/// What Windows-1252 has where Latin-1 has control characters; the five that it leaves open become U+FFFD.
constexpr std::array<char16_t, 32> kWindows = {0x20AC, 0xFFFD, 0x201A, 0x0192, 0x201E, 0x2026, 0x2020, 0x2021,
                                               0x02C6, 0x2030, 0x0160, 0x2039, 0x0152, 0xFFFD, 0x017D, 0xFFFD,
                                               0xFFFD, 0x2018, 0x2019, 0x201C, 0x201D, 0x2022, 0x2013, 0x2014,
                                               0x02DC, 0x2122, 0x0161, 0x203A, 0x0153, 0xFFFD, 0x017E, 0x0178};

Result<std::string> from_utf16(std::string_view bytes, bool big_endian, const std::string& file) {
  if (bytes.size() % 2 != 0) return fail(Fault::input, "{}: the file is UTF-16 text that is cut short.", file);
  std::string out;
  out.reserve(bytes.size() / 2);
  const auto unit = [&](std::size_t i) {
    const auto a = static_cast<unsigned char>(bytes[i]), b = static_cast<unsigned char>(bytes[i + 1]);
    return char32_t(big_endian ? a << 8 | b : b << 8 | a);
  };
  for (std::size_t i = 0; i < bytes.size(); i += 2) {
    char32_t c = unit(i);
    if (c >= 0xD800 && c < 0xDC00 && i + 2 < bytes.size() && unit(i + 2) >= 0xDC00 && unit(i + 2) < 0xE000) {
      c = 0x10000 + ((c - 0xD800) << 10) + (unit(i + 2) - 0xDC00);
      i += 2;
    } else if (c == 0 || (c >= 0xD800 && c < 0xE000)) {
      return fail(Fault::input, "{}: the file is not text.", file);
    }
    append(out, c);
  }
  return out;
}

}  // namespace

bool is_utf8(std::string_view text) {
  for (std::size_t i = 0; i < text.size();) {
    const auto c = static_cast<unsigned char>(text[i]);
    if (c < 0x80) {
      ++i;
      continue;
    }
    const std::size_t more = c >= 0xC2 && c < 0xE0 ? 1 : c >= 0xE0 && c < 0xF0 ? 2 : c >= 0xF0 && c < 0xF5 ? 3 : 0;
    if (more == 0 || more >= text.size() - i) return false;
    for (std::size_t k = 1; k <= more; ++k)
      if ((static_cast<unsigned char>(text[i + k]) & 0xC0) != 0x80) return false;
    const auto second = static_cast<unsigned char>(text[i + 1]);
    if ((c == 0xE0 && second < 0xA0) || (c == 0xED && second >= 0xA0) || (c == 0xF0 && second < 0x90) ||
        (c == 0xF4 && second >= 0x90))
      return false;
    i += more + 1;
  }
  return true;
}

std::string as_utf8(std::string text) {
  if (is_utf8(text)) return text;
  std::string out;
  out.reserve(text.size() + text.size() / 8);
  for (const char byte : text) {
    const auto c = static_cast<unsigned char>(byte);
    append(out, c >= 0x80 && c < 0xA0 ? kWindows[std::size_t(c - 0x80)] : char32_t(c));
  }
  return out;
}

Result<std::string> decoded_text(std::string bytes, const std::string& file) {
  const std::string_view text(bytes);
  if (text.starts_with("\xff\xfe")) return from_utf16(text.substr(2), false, file);
  if (text.starts_with("\xfe\xff")) return from_utf16(text.substr(2), true, file);
  if (text.starts_with("\xef\xbb\xbf")) bytes.erase(0, 3);
  if (bytes.find('\0') != std::string::npos) return fail(Fault::input, "{}:1: the file is not text.", file);
  return as_utf8(std::move(bytes));
}

}  // namespace heron
