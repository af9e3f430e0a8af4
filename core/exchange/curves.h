#pragma once
#include <map>
#include <string>
#include <vector>

#include "exchange/columns.h"
#include "exchange/long_table.h"

/// Whatever file holds curves: tables, network parameters, our own JSON. What an import shows before it is done, and
/// does.
namespace heron::exchange {

/// One curve of a file.
struct FileCurve {
  std::string name;  ///< "sweep.csv", or "sweep.csv, curve 2"
  study::Record record;
  std::string notes;
};

/// What a table is whose first column starts anew: several curves, one under another.
enum class Several {
  apart,  ///< each a curve of its own
  steps,  ///< of a kind that knows steps: one family, told apart by the curve's number; else one table
  one,    ///< one table, as it stands
};

/// How a file is to be understood. All of it has defaults.
struct FileReading {
  ColumnChoice columns;
  std::string parameter;   ///< of network data: "S21"; empty for the usual one
  Several several = Several::apart;
  bool impedance = false;  ///< one-port network data are wanted as impedance
};

/// True for endings that read_curves() knows: csv, txt, tsv, s1p, s2p, json, wav, flac, h5.
bool holds_curves(const std::string& path);

/// Reads all curves of a file. Errors name file, line and what to do.
/// @param progress  of tables of millions of rows; Fault::stopped where it was stopped
Result<std::vector<FileCurve>> read_curves(const std::string& path, const study::Kind& kind, const FileReading& reading = {},
                                           const ReadingProgress& progress = {});

/// What an import would take as what.
struct FilePreview {
  std::string file;
  bool table = false;                               ///< columns can be chosen
  std::vector<std::string> columns;                 ///< headers as the file has them: "Freq (kHz)"
  std::vector<std::string> roles;                   ///< of each column; empty where it is not used
  std::vector<std::string> by_itself;               ///< what each would be by its name alone; empty where nothing
  std::map<std::string, std::string> guessed;       ///< role -> column, where names did not settle it
  std::vector<std::vector<std::string>> rows;       ///< the first few, as text
  std::vector<std::string> parameters;              ///< of network data: what can be chosen
  std::vector<std::pair<std::string, int>> curves;  ///< name and number of points, as they would become takes
  std::vector<std::string> warnings;                ///< what looks odd: "is the frequency in another column?"
  std::string trouble;                              ///< why it cannot be imported so; empty when it can
  bool part = false;                                ///< of a long table the first rows alone; how many points is a guess
};
/// Of a long table the first rows alone are read: a preview takes no longer than a glance.
FilePreview preview_file(const std::string& path, const study::Kind& kind, const FileReading& reading = {});

}  // namespace heron::exchange
