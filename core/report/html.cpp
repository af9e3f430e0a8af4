#include "report/html.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "base/quantity.h"
#include "base/take_colours.h"
#include "base/words.h"
#include "report/markup.h"

namespace heron::report {

namespace {

constexpr const char* kStyle = R"(
:root{--paper:#fbfcfa;--ink:#1c2a2e;--quiet:#586a6e;--rule:#c2ccc7;--ground:#c2ccc7;--meets:#2f7550;--fails:#ae3527;--close:#6a5799;--doubt:#9a5508;--band:#f6ead8}
@media (prefers-color-scheme:dark){:root{--paper:#182226;--ink:#e4eae7;--quiet:#9db0ae;--rule:#3b4a4d;--ground:#4a5a5c;--meets:#7cc39b;--fails:#ee8c7e;--close:#b9a8e3;--doubt:#eab56b;--band:#3a2f1f}
.curve{filter:brightness(1.5)}}
@media print{:root{--paper:#fff}.study{break-before:page}tr,figure{break-inside:avoid}}
*{box-sizing:border-box}
body{margin:0 auto;max-width:54rem;padding:1rem;background:var(--paper);color:var(--ink);font:16px/1.5 Inter,system-ui,sans-serif;overflow-wrap:anywhere}
h1{font-size:1.7rem;line-height:1.2;margin:.5rem 0}h2{font-size:1.3rem;margin:2.5rem 0 .3rem;border-top:1px solid var(--rule);padding-top:1rem}h3{font-size:1rem;margin:1.5rem 0 .3rem}
p{margin:.4rem 0}.quiet,figcaption,caption{color:var(--quiet);font-size:.875rem}
table{width:100%;border-collapse:collapse;font-size:.9rem;margin:.3rem 0 1rem}caption{text-align:left}
th,td{text-align:left;vertical-align:top;padding:.2rem .5rem .2rem 0;border-bottom:1px solid var(--rule)}th{font-weight:500}
.n{text-align:right;font-variant-numeric:tabular-nums}tbody th[colspan]{padding-top:.8rem;font-weight:600}
.meets{color:var(--meets)}.fails{color:var(--fails)}.too_close{color:var(--close)}.not_measured{color:var(--quiet)}
.mark{width:1em;height:1em;vertical-align:-.12em;fill:none;stroke:currentColor;stroke-width:2}
.doubt{color:var(--doubt);background:var(--band);padding:.3rem .6rem;margin:.3rem 0}
figure{margin:.5rem 0 1rem}svg.plot{width:100%;max-width:42rem;height:auto;display:block}
.plot text{fill:var(--ink);font:14px Inter,system-ui,sans-serif}.grid{stroke:var(--rule);stroke-width:.6;fill:none}.frame{fill:none;stroke:var(--rule)}
.curve{fill:none;stroke-width:1.8;stroke-linejoin:round}.hatch{stroke:var(--ground);stroke-width:2}.edge{stroke:var(--ink);fill:none}
.swatch{display:inline-block;width:1.4em;height:.25em;vertical-align:.25em;margin-right:.3em}
.kept svg{width:100%;height:auto;background:#fbfcfa}details{margin:.3rem 0}summary{cursor:pointer;color:var(--quiet)}
a{color:inherit}.scroll{overflow-x:auto}nav ol{columns:14rem;padding-left:1.4rem}
)";

// Of CSS a plain renderer knows little: colours, sizes, margins.
constexpr const char* kPaperStyle = R"(
body{color:#1c2a2e}h1{font-size:26px;margin-top:0px;margin-bottom:6px}h2{font-size:19px;margin-top:24px;margin-bottom:4px}h3{font-size:13px;margin-top:13px;margin-bottom:3px}
p{margin-top:3px;margin-bottom:3px}.quiet,caption{color:#586a6e}th{font-weight:500;text-align:left}td,th{padding-top:1px;padding-bottom:1px;padding-right:10px;vertical-align:top}
.group{font-weight:600}.meets{color:#2f7550}.fails{color:#ae3527}.too_close{color:#6a5799}.not_measured{color:#586a6e}.doubt{color:#9a5508;background-color:#f6ead8}
)";

constexpr const char* kMarks = R"(<svg width="0" height="0" aria-hidden="true" style="position:absolute"><symbol id="meets" viewBox="0 0 16 16"><path d="M2 9l4 4 8-10"/></symbol><symbol id="fails" viewBox="0 0 16 16"><path d="M3 3l10 10M13 3L3 13"/></symbol><symbol id="too_close" viewBox="0 0 16 16"><path d="M2 6h12M2 11h12"/></symbol><symbol id="not_measured" viewBox="0 0 16 16"><path d="M3 8h10"/></symbol></svg>)";

std::string hex(std::uint32_t colour) { return fmt::format("#{:06x}", colour); }

std::string paragraphs(const std::string& text, const char* css = nullptr) {
  std::string out;
  for (const auto& line : pieces(text, '\n')) out += css ? fmt::format("<p class=\"{}\">{}</p>\n", css, escaped(line)) : "<p>" + escaped(line) + "</p>\n";
  return out;
}

enum class Flavour { page, paper };

std::string verdict_cell(const judge::Judgement& j, bool doubted, Flavour flavour) {
  std::string out = flavour == Flavour::page ? fmt::format(R"(<span class="{0}"><svg class="mark" aria-hidden="true"><use href="#{0}"/></svg> {1}</span>)", judge::verdict_text(j.verdict), judge::verdict_words(j.verdict))
                                             : fmt::format(R"(<span class="{0}"><img src="mark:{2}" width="9" height="9"> {1}</span>)", judge::verdict_text(j.verdict), judge::verdict_words(j.verdict), int(j.verdict));
  if (doubted) out += " <strong>in doubt</strong>";
  if (!j.caveat.empty()) out += " <span class=\"quiet\">" + escaped(j.caveat) + "</span>";
  return out;
}

bool is_doubted(const TakePart& take) {
  return std::any_of(take.reading.doubts.begin(), take.reading.doubts.end(), [](const auto& d) { return d.severity != study::Severity::note; });
}

std::string limits_text(const judge::Judgement& j) {
  const auto one = [&](double v) { return format_quantity(v, j.unit, 5).plain(); };
  if (j.lower && j.upper) return one(*j.lower) + " to " + one(*j.upper);
  if (j.lower) return "at least " + one(*j.lower);
  if (j.upper) return "at most " + one(*j.upper);
  return {};
}

std::string short_name(const TakePart& take) { return fmt::format("{}, take {}", take.source.unit, take.source.number); }

class Writer {
 public:
  Writer(const Content& content, Flavour flavour) : content_(content), flavour_(flavour), parts_(&content.choice.parts) {}

  std::string all() {
    const auto& choice = content_.choice;
    const auto title = choice.title.empty() ? content_.device : choice.title;
    out_ = "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n";
    add("<title>{}</title>\n<style>{}</style>\n</head>\n<body>\n{}\n<main>\n<header>\n<h1>{}</h1>\n", escaped(title), page() ? kStyle : kPaperStyle, page() ? kMarks : "", escaped(title));
    if (title != content_.device) add("<p>{}</p>\n", escaped(content_.device));
    if (!choice.author.empty()) add("<p class=\"quiet\">{}</p>\n", escaped(choice.author));
    add("</header>\n");
    out_ += paragraphs(choice.summary);
    if (shows(Part::claims)) add("<p><strong>{}</strong></p>\n", escaped(content_.sentence));
    if (shows(Part::notes)) out_ += paragraphs(content_.device_note);
    contents();
    units();
    int k = 0;
    for (const auto& study : content_.studies) one_study(study, ++k);
    add("</main>\n</body>\n</html>\n");
    return std::move(out_);
  }

 private:
  template <class... Args>
  void add(fmt::format_string<Args...> text, Args&&... args) {
    fmt::format_to(std::back_inserter(out_), text, std::forward<Args>(args)...);
  }
  bool page() const { return flavour_ == Flavour::page; }
  bool shows(Part part) const { return parts_->contains(part); }

  void contents() {
    // On paper it needs page numbers, which only its renderer knows.
    if (content_.studies.size() < 2 || !page()) return;
    add("<nav aria-label=\"Contents\">\n<h2>Contents</h2>\n<ol>\n");
    for (std::size_t k = 0; k < content_.studies.size(); ++k) add("<li><a href=\"#study{}\">{}</a></li>\n", k + 1, escaped(content_.studies[k].name));
    add("</ol>\n</nav>\n");
  }

  void units() {
    add("<section>\n<h2>Units</h2>\n<table>\n<thead><tr><th scope=\"col\">Unit</th><th scope=\"col\">Serial number</th><th scope=\"col\">Parts as measured</th><th scope=\"col\">Note</th></tr></thead>\n<tbody>\n");
    for (const auto& unit : content_.units) {
      std::string parts;
      for (const auto& part : unit.fitted) parts += (parts.empty() ? "" : "; ") + part;
      add("<tr><th scope=\"row\">{}</th><td>{}</td><td>{}</td><td>{}</td></tr>\n", escaped(unit.name), escaped(unit.serial), escaped(parts), shows(Part::notes) ? escaped(unit.note) : "");
    }
    add("</tbody>\n</table>\n</section>\n");
  }

  void one_study(const StudyPart& study, int number) {
    parts_ = &content_.choice.parts_for(study.name);
    add("<section class=\"study\" id=\"study{}\">\n<h2>{}</h2>\n<p class=\"quiet\">{}{}</p>\n", number, escaped(study.name), escaped(study.kind), study.assembly.empty() ? "" : escaped(", " + study.assembly));
    if (shows(Part::notes)) out_ += paragraphs(study.note);
    if (study.takes.empty()) add("<p>There is no take of it on these units.</p>\n");
    if (!study.takes.empty() && !study.not_taken.empty()) {
      std::string names;
      for (const auto& name : study.not_taken) names += (names.empty() ? "" : ", ") + name;
      add("<p class=\"quiet\">Not taken on {}.</p>\n", escaped(names));
    }
    if (shows(Part::setup)) setups(study);
    if (shows(Part::hookup) && !study.sensed.empty()) hookup(study);
    if (shows(Part::plots)) plots(study);
    if (shows(Part::claims)) claims(study);
    if (shows(Part::doubts)) doubts(study);
    if (shows(Part::figures)) figures(study);
    if (shows(Part::notes)) notes(study);
    if (shows(Part::points)) points(study);
    add("</section>\n");
  }

  void setups(const StudyPart& study) {
    // Takes that were set up alike are told together.
    std::vector<std::pair<std::string, std::string>> said;
    for (const auto& take : study.takes) {
      if (take.setup.empty()) continue;
      auto it = std::find_if(said.begin(), said.end(), [&](const auto& one) { return one.first == take.setup; });
      if (it == said.end()) it = said.insert(said.end(), {take.setup, {}});
      it->second += (it->second.empty() ? "" : "; ") + short_name(take);
    }
    if (said.empty()) return;
    add("<h3>Set-up</h3>\n");
    for (const auto& [setup, takes] : said) {
      if (said.size() > 1) add("<p class=\"quiet\">{}</p>\n", escaped(takes));
      out_ += paragraphs(setup);
    }
  }

  void hookup(const StudyPart& study) {
    add("<h3>Hookup</h3>\n<table>\n<thead><tr><th scope=\"col\">Quantity</th><th scope=\"col\">At</th><th scope=\"col\">Sensor</th><th scope=\"col\">Range</th><th scope=\"col\">Bandwidth</th></tr></thead>\n<tbody>\n");
    for (const auto& one : study.sensed)
      add("<tr><th scope=\"row\">{}</th><td>{}</td><td>{}</td><td>{}</td><td>{}</td></tr>\n", escaped(one.quantity), escaped(one.at), escaped(one.sensor), escaped(one.range), escaped(one.bandwidth));
    add("</tbody>\n</table>\n");
  }

  void plots(const StudyPart& study) {
    for (std::size_t k = 0; k < study.pictures.size(); ++k) {
      auto drawing = harmless_svg(study.pictures[k].svg);
      if (!page() && !drawing.empty()) drawing = image({.plot = std::nullopt, .svg = std::move(drawing)});
      const auto& source = study.picture_sources[k];
      add("{}{}{}{}{}{}\n", page() ? "<figure class=\"kept\">" : "<p>", drawing.empty() ? "<p>The drawing that was kept holds more than a drawing; it is left out.</p>" : drawing, kCaption[page()], escaped(study.pictures[k].caption), source.unit.empty() ? "" : escaped(". " + source_text(source)), kCaptionEnd[page()]);
    }
    for (const auto& one : plots_of(study)) {
      auto drawing = svg(one.plot, ++plots_);
      if (drawing.empty()) continue;
      if (!page()) drawing = image({.plot = one.plot});
      add("{}{}{}{}", page() ? "<figure>" : "<p>", drawing, kCaption[page()], escaped(one.quantity));
      for (std::size_t k = 0; k < one.labels.size(); ++k)
        page() ? add("{}<span class=\"swatch\" style=\"background:{}\">&#8203;</span>{}", k == 0 ? ": " : " ", one.plot.curves[k].colour, escaped(one.labels[k]))
               : add("{}<span style=\"color:{}\">{}</span>", k == 0 ? ": " : ", ", one.plot.curves[k].colour, escaped(one.labels[k]));
      add("{}\n", kCaptionEnd[page()]);
      if (shows(Part::numbers) && page()) numbers(one);
    }
  }

  /// What was drawn, to be taken elsewhere.
  void numbers(const StudyPlot& one) {
    constexpr std::size_t kRows = 60;
    add("<details><summary>Numbers of {}</summary>\n", escaped(one.quantity));
    for (std::size_t c = 0; c < one.plot.curves.size(); ++c) {
      const auto [x, y] = thinned(one.plot.curves[c].x, one.plot.curves[c].y, kRows);
      add("<table>\n<caption>{}{}</caption>\n<thead><tr><th scope=\"col\" class=\"n\">{} ({})</th><th scope=\"col\" class=\"n\">{} ({})</th></tr></thead>\n<tbody>\n", escaped(one.labels[c]),
          x.size() < one.plot.curves[c].x.size() ? fmt::format(", {} of {} places, the extremes among them", x.size(), one.plot.curves[c].x.size()) : "", escaped(one.plot.x_name), escaped(one.plot.x_unit), escaped(one.plot.y_name), escaped(one.plot.y_unit));
      for (std::size_t k = 0; k < x.size(); ++k) add("<tr><td class=\"n\">{:.9g}</td><td class=\"n\">{:.9g}</td></tr>\n", x[k], y[k]);
      add("</tbody>\n</table>\n");
    }
    add("</details>\n");
  }

  void claims(const StudyPart& study) {
    if (study.takes.empty() || study.takes.front().lines.empty()) return;
    add("<h3>Claims</h3>\n<table>\n<thead><tr><th scope=\"col\">Unit, take</th><th scope=\"col\" class=\"n\">Value \u00b1 U</th><th scope=\"col\" class=\"n\">Margin</th><th scope=\"col\">Verdict</th></tr></thead>\n");
    for (std::size_t k = 0; k < study.takes.front().lines.size(); ++k) {
      const auto& first = study.takes.front().lines[k];
      const auto limits = limits_text(first.judgement);
      add("<tbody>\n<tr><th colspan=\"4\" scope=\"rowgroup\">{}{}</th></tr>\n", escaped(first.text()), limits.empty() ? "" : " <span class=\"quiet\">" + escaped(limits) + "</span>");
      for (const auto& take : study.takes) {
        if (k >= take.lines.size()) continue;
        const auto& line = take.lines[k];
        const auto& j = line.judgement;
        auto value = j.value ? escaped(value_text(*j.value, j.u, j.unit)) : escaped(j.reason.empty() ? "\u2013" : j.reason);
        if (line.typed) value += " <span class=\"quiet\">typed in, read " + escaped(line.typed->source) + "</span>";
        // The value as it is kept, for whoever reads this with a program.
        const auto data = j.value ? fmt::format(" data-value=\"{:.17g}\"", *j.value) : std::string();
        add("<tr class=\"claim\"{}><th scope=\"row\">{}</th><td class=\"n\">{}</td><td class=\"n\">{}</td><td>{}</td></tr>\n", data, escaped(short_name(take)), value, j.margin ? escaped(format_quantity(*j.margin, j.unit, 3).plain()) : "", verdict_cell(j, is_doubted(take), flavour_));
      }
      add("</tbody>\n");
    }
    add("</table>\n");
  }

  void doubts(const StudyPart& study) {
    bool any = false;
    for (const auto& take : study.takes)
      for (const auto& doubt : take.reading.doubts) {
        if (doubt.severity == study::Severity::note) continue;
        if (!std::exchange(any, true)) add("<h3>Doubts</h3>\n");
        add("<p class=\"doubt\"><strong>{}, {}</strong>: {} {}</p>\n", escaped(short_name(take)), study::severity_text(doubt.severity), escaped(doubt.text), escaped(doubt.remedy));
      }
  }

  void figures(const StudyPart& study) {
    if (study.takes.empty()) return;
    add("<h3>Figures</h3>\n<table>\n<thead><tr><th scope=\"col\">Figure</th><th scope=\"col\" class=\"n\">Value \u00b1 U</th></tr></thead>\n");
    for (const auto& take : study.takes) {
      add("<tbody>\n<tr><th colspan=\"2\" scope=\"rowgroup\">{}</th></tr>\n", escaped(source_text(take.source)));
      for (const auto& f : take.reading.figures) add("<tr><th scope=\"row\">{}</th><td class=\"n\">{}</td></tr>\n", escaped(f.on.empty() ? f.label : f.label + ", " + f.on), escaped(value_text(f.value, f.u, f.unit)));
      if (take.reading.figures.empty()) add("<tr><td colspan=\"2\">None could be read.</td></tr>\n");
      add("</tbody>\n");
    }
    add("</table>\n");
  }

  void notes(const StudyPart& study) {
    bool any = false;
    for (const auto& take : study.takes)
      if (!take.note.empty()) {
        if (!std::exchange(any, true)) add("<h3>Notes</h3>\n");
        add("<p><strong>{}</strong>: {}</p>\n", escaped(short_name(take)), escaped(take.note));
      }
  }

  void points(const StudyPart& study) {
    // On paper a table of thousands helps nobody.
    const std::size_t most = page() ? 2000 : 60;
    for (const auto& take : study.takes) {
      if (take.curve.columns.empty()) continue;
      add("{}Points of {}{}\n", page() ? "<details><summary>" : "<h3>", escaped(short_name(take)), page() ? "</summary>\n<div class=\"scroll\">" : "</h3>");
      for (const auto& column : take.curve.columns) {
        const auto& x = take.curve.x_of(column);
        const auto n = std::min(x.size(), column.y.size());
        add("<table>\n<caption>{}{}</caption>\n<thead><tr><th scope=\"col\" class=\"n\">{} ({})</th><th scope=\"col\" class=\"n\">{} ({})</th><th scope=\"col\" class=\"n\">U ({})</th></tr></thead>\n<tbody>\n", escaped(column.name),
            n > most ? fmt::format(", the first {} of {}; an export has them all", most, n) : "", escaped(take.curve.x_name), escaped(take.curve.x_unit), escaped(column.name), escaped(column.unit), escaped(column.unit));
        for (std::size_t k = 0; k < std::min(n, most); ++k)
          add("<tr><td class=\"n\">{:.9g}</td><td class=\"n\">{:.9g}</td><td class=\"n\">{}</td></tr>\n", x[k], column.y[k], k < column.u.size() ? fmt::format("{:.2g}", 2 * column.u[k]) : "");
        add("</tbody>\n</table>\n");
      }
      if (page()) add("</div></details>\n");
    }
  }

  static constexpr const char* kCaption[] = {"<span class=\"quiet\">", "<figcaption>"};
  static constexpr const char* kCaptionEnd[] = {"</span></p>", "</figcaption></figure>"};

  std::string image(Paper::Drawing drawing) {
    drawings_.push_back(std::move(drawing));
    return fmt::format("<img src=\"drawing:{}\" width=\"{:g}\" height=\"{:g}\"><br>", drawings_.size() - 1, Layout::width, Layout::height);
  }

 public:
  std::vector<Paper::Drawing> drawings() { return std::move(drawings_); }

 private:
  const Content& content_;
  Flavour flavour_;
  const std::set<Part>* parts_;  ///< that are told of what is being written
  std::vector<Paper::Drawing> drawings_;
  std::string out_;
  int plots_ = 0;
};

}  // namespace

std::string html(const Content& content) { return Writer(content, Flavour::page).all(); }

Paper paper(const Content& content) {
  Writer writer(content, Flavour::paper);
  Paper out{.html = replaced(writer.all(), "<table>", "<table width=\"100%\" cellspacing=\"0\">"), .drawings = {}};
  out.drawings = writer.drawings();
  return out;
}

std::string value_text(double value, std::optional<double> u, std::string_view unit) {
  const auto text = format_with_uncertainty(value, u, unit);
  if (text.uncertainty.empty()) return text.plain();
  return text.number + " \u00b1 " + text.uncertainty + (text.unit.empty() ? "" : "\u202f" + text.unit);
}

std::string source_text(const Source& source) {
  auto date = replaced(source.started, "T", " ");
  if (date.ends_with(":00Z") || date.ends_with("Z")) date = date.substr(0, date.size() - 1) + " UTC";
  return fmt::format("{}{}, take {} of {}, {}, {}{}{}", source.unit, source.serial.empty() ? "" : " (" + source.serial + ")", source.number, date, source.bench,
                     source.program.empty() ? "by a program that did not say its version" : "Zealous Heron " + source.program, source.incomplete ? ", incomplete" : "", source.aside ? ", laid aside" : "");
}

std::vector<StudyPlot> plots_of(const StudyPart& study) {
  std::vector<StudyPlot> out;
  int colour = 0;
  for (const auto& take : study.takes) {
    ++colour;
    for (const auto& column : take.curve.columns) {
      const auto quantity = study::Columns::curve_of(column);
      auto it = std::find_if(out.begin(), out.end(), [&](const auto& one) { return one.quantity == quantity && one.plot.y_unit == column.unit; });
      if (it == out.end()) {
        StudyPlot made{.plot = {.about = study.name + ": " + quantity, .x_name = take.curve.x_name, .x_unit = take.curve.x_unit, .y_name = quantity, .y_unit = column.unit, .log_x = take.curve.logarithmic}, .quantity = quantity};
        for (const auto& mask : study.masks) {
          // One that is placed after a figure stands where it lies on the first take that has that figure.
          const auto lies = mask.curve == quantity ? judge::placed(mask, take.reading) : std::nullopt;
          for (const bool above : {true, false})
            if (lies && !(above ? lies->upper : lies->lower).empty()) made.plot.grounds.push_back({above ? lies->upper : lies->lower, above});
        }
        it = out.insert(out.end(), std::move(made));
      }
      it->plot.curves.push_back({.colour = hex(take_colour_of(colour)), .dashed = take_dashed_of(colour), .x = take.curve.x_of(column), .y = column.y});
      it->labels.push_back(short_name(take) + (column.name == quantity ? "" : ", " + column.name));
    }
  }
  return out;
}

std::string harmless_svg(std::string_view svg) {
  const auto from = svg.find("<svg");
  const auto until = svg.rfind("</svg>");
  if (from == std::string_view::npos || until == std::string_view::npos || until < from) return {};
  const auto drawing = svg.substr(from, until + 6 - from);
  const auto plain = lower(drawing);
  for (const char* word : {"<script", "<foreignobject", "<iframe", "<object", "<embed", "<animate", "<set", "<style", "<!", "<?", "javascript:", "@import", "url(h", "url(d", "url(/", "url('", "url(\""})
    if (plain.find(word) != std::string::npos) return {};
  for (auto at = plain.find("href"); at != std::string::npos; at = plain.find("href", at + 1))
    // Within the drawing, or pixels that it brings along.
    if (plain.compare(at, 7, "href=\"#") != 0 && plain.compare(at, 28, "href=\"data:image/png;base64,") != 0) return {};
  // Handlers of events: a blank, "on", letters, "=".
  for (std::size_t at = 0; at + 3 < plain.size(); ++at)
    if ((plain[at] == ' ' || plain[at] == '\n' || plain[at] == '\t' || plain[at] == '\r' || plain[at] == '/' || plain[at] == '"' || plain[at] == '\'') && plain[at + 1] == 'o' && plain[at + 2] == 'n') {
      auto end = at + 3;
      while (end < plain.size() && plain[end] >= 'a' && plain[end] <= 'z') ++end;
      while (end < plain.size() && (plain[end] == ' ' || plain[end] == '\n')) ++end;
      if (end < plain.size() && plain[end] == '=') return {};
    }
  return std::string(drawing);
}

}  // namespace heron::report
