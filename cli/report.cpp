#include <filesystem>
#include <iostream>

#include "commands.h"
#include "dossier/store.h"
#include "exchange/writers.h"
#include "report/html.h"

namespace heron::cli {

Result<int> report(const ReportOptions& options) {
  auto store = dossier::Store::open(options.file);
  if (!store) return tl::unexpected(store.error());
  const auto kept = store->report();
  if (!kept) return tl::unexpected(kept.error());
  auto choice = *kept ? report::choice_from(**kept) : report::Choice{};
  if (!options.studies.empty()) choice.studies = options.studies;
  if (!options.units.empty()) choice.units = options.units;
  const auto ending = std::filesystem::path(options.out).extension();
  if (ending != ".html") return fail(Fault::usage, "{}: a report is written as .html.", options.out);
  const auto content = report::gather(*store, choice);
  if (!content) return tl::unexpected(content.error());
  if (auto ok = exchange::write_file(options.out, report::html(*content)); !ok) return tl::unexpected(ok.error());
  return 0;
}

}  // namespace heron::cli
