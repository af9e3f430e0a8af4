#include "study/figure.h"

#include <algorithm>

namespace heron::study {

std::string_view severity_text(Severity severity) {
  switch (severity) {
    case Severity::note:
      return "note";
    case Severity::caution:
      return "caution";
    case Severity::serious:
      return "serious";
  }
  return "";
}

const Figure* Reading::find(std::string_view key) const {
  const auto it = std::find_if(figures.begin(), figures.end(), [&](const Figure& f) { return f.key == key; });
  return it == figures.end() ? nullptr : &*it;
}

Doubt rating_finding(bool exceeded, std::string text, std::string remedy, Edits edits) {
  return {"rating.near", exceeded ? Severity::serious : Severity::caution, std::move(text), std::move(remedy),
          std::move(edits), exceeded};
}

Doubt on_hookup(Doubt doubt) {
  doubt.place = Place::hookup;
  return doubt;
}

Doubt mended_by(Mend mend, Doubt doubt) {
  doubt.mend = mend;
  return doubt;
}

}  // namespace heron::study
