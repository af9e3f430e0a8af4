#pragma once
#include <functional>
#include <string>
#include <vector>

#include "base/result.h"
#include "exchange/columns.h"
#include "report/content.h"

/// The commands of `heron`. Each returns its exit status on success of the work itself: 0, or 1 when a claim fails.
namespace heron::cli {

struct AnalyseOptions {
  std::string kind;
  std::vector<std::string> inputs, columns, scales, settings, figures;
  std::string claims;
  bool json = false;
};
Result<int> analyse(const AnalyseOptions& options);

Result<int> demo(const std::string& folder);
/// @param templates  files of studies to begin with
Result<int> create(const std::string& file, const std::vector<std::string>& templates);
/// @param check  only: is the file sound, and what could be saved
Result<int> show(const std::string& file, bool json, bool check);
Result<int> judge_all(const std::string& file, bool json);

struct TakeOptions {
  std::string file, study, note, bench = "simulated";
  long long seed = -1;
  std::vector<std::string> accepted;
  bool all = false;                    ///< every study, one after the other
  std::vector<std::string> units = {};  ///< by name; empty: the one on the bench
};
Result<int> take(const TakeOptions& options);

struct ImportOptions {
  std::string file, study;
  std::vector<std::string> inputs;
  std::vector<std::string> columns, scales;
  bool aside = false;
};
/// Data files into one study; other dossiers and folders that export wrote as a whole.
Result<int> import(const ImportOptions& options);

Result<int> export_all(const std::string& file, const std::string& folder, int take);

struct ReportOptions {
  std::string file, out;
  std::vector<std::string> studies, units;  ///< by name; empty: as it was chosen in the dossier
  std::function<Result<std::string>(const report::Content&)> pdf = {};  ///< how paper is made, where this program can
};
Result<int> report(const ReportOptions& options);

/// The exit status that an error asks for.
int exit_status(Fault fault);

/// "KEY=VALUE" in its two parts.
Result<std::pair<std::string, std::string>> key_and_value(const std::string& text, const std::string& option);

/// The ROLE=NAME of --column and the ROLE=FACTOR of --scale.
Result<exchange::ColumnChoice> column_choice(const std::vector<std::string>& columns,
                                             const std::vector<std::string>& scales);

/// Pads a cell of a table to a width in characters, not bytes.
std::string padded(const std::string& text, std::size_t width);

}  // namespace heron::cli
