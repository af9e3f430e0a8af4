#pragma once
#include <QString>
#include <string>

#include "base/quantity.h"

namespace heron::app {

inline QString text(const std::string& s) { return QString::fromStdString(s); }
inline QString text(std::string_view s) { return QString::fromUtf8(s.data(), qsizetype(s.size())); }
inline QString text(const char* s) { return QString::fromUtf8(s); }
inline QString text(const NumberText& t) { return text(t.plain()); }

}  // namespace heron::app
