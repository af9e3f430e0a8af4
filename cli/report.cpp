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
  if (ending != ".html" && ending != ".pdf") return fail(Fault::usage, "{}: a report is written as .html or .pdf.", options.out);
  if (ending == ".pdf" && !options.pdf) return fail(Fault::usage, "{}: this heron was built without the renderer; write .html.", options.out);
  const auto content = report::gather(*store, choice);
  if (!content) return tl::unexpected(content.error());
  const auto written = ending == ".pdf" ? options.pdf(*content) : Result<std::string>(report::html(*content));
  if (!written) return tl::unexpected(written.error());
  if (auto ok = exchange::write_file(options.out, *written); !ok) return tl::unexpected(ok.error());
  return 0;
}

}  // namespace heron::cli
