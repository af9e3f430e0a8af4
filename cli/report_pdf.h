#pragma once
#include <string>

#include "report/content.h"

namespace heron::cli {

/// The report as PDF, without a window.
Result<std::string> report_pdf(const report::Content& content);

}  // namespace heron::cli
