#pragma once
#include <string>
#include <string_view>
#include <vector>

#include "report/content.h"
#include "report/plot.h"

/// A report as one HTML file: nothing fetched, no script, the same bytes for the same content.
namespace heron::report {

std::string html(const Content& content);

/// The same for paper: what a plain renderer of text knows, with drawings as images "drawing:0", "drawing:1"... and marks of
/// verdicts as "mark:0", by their number. Numbers that a page folds away are left out; headings stand for the contents.
struct Paper {
  struct Drawing {
    std::optional<Plot> plot;
    std::string svg = {};  ///< of a drawing that was kept
  };
  std::string html;
  std::vector<Drawing> drawings;
};
Paper paper(const Content& content);

/// The plots of one study: a curve a take, a plot a quantity.
struct StudyPlot {
  Plot plot;
  std::string quantity;
  std::vector<std::string> labels;  ///< of its curves
};
std::vector<StudyPlot> plots_of(const StudyPart& study);

/// A drawing that was kept, as it may stand within a page; empty where it holds anything but a drawing.
std::string harmless_svg(std::string_view svg);

/// "unit 03, take 5 of 2026-11-27 13:00 UTC, simulated bench, Zealous Heron 0.1.0"
std::string source_text(const Source& source);

/// "20.62 kHz ± 0.04 kHz" with U = 2u.
std::string value_text(double value, std::optional<double> u, std::string_view unit);

}  // namespace heron::report
