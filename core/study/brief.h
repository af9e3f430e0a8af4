#pragma once
#include <string>
#include <vector>

namespace heron::study {

/// A piece of a brief: plain text, or a word that can be edited in place.
struct BriefPiece {
  std::string text;
  std::string key;       ///< of the setting; empty for plain text
  bool rare = false;     ///< folded away until asked for
  bool heading = false;  ///< "Drive", "Sense", "Settle"
  bool drives = false;   ///< says what drives: shown on the Hookup page too

  bool operator==(const BriefPiece&) const = default;
};

/// What is shown beside a word while it is edited.
struct BriefHint {
  std::string label;                 ///< "Level of the stimulus"
  std::string forms;                 ///< the same value in its other forms
  std::string allowed;               ///< the range that is accepted
  std::vector<std::string> choices;  ///< where only some words are possible
  bool from_file = false;            ///< what a text file holds may stand for it
};

}  // namespace heron::study
