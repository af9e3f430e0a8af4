#pragma once
#include <QString>
#include <string>

namespace heron::app {

inline QString text(const std::string& s) { return QString::fromStdString(s); }

}  // namespace heron::app
