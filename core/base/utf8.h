#pragma once
#include <string>
#include <string_view>

#include "base/result.h"

/// Text of unknown origin as UTF-8, which is what everything inside is.
namespace heron {

/// True for well-formed UTF-8 (RFC 3629): no overlong forms, no surrogates, nothing beyond U+10FFFF.
bool is_utf8(std::string_view text);

/// The text itself where it is UTF-8; else read as Windows-1252, which holds Latin-1: every byte becomes a character.
std::string as_utf8(std::string text);

/// A whole file as UTF-8: byte order marks of UTF-8 and UTF-16 are understood and taken off.
/// @return Fault::input for what is no text: zero bytes, broken UTF-16
Result<std::string> decoded_text(std::string bytes, const std::string& file);

}  // namespace heron
