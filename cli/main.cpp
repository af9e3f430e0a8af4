#include <unistd.h>

#include <CLI/CLI.hpp>
#include <csignal>
#include <cstdio>
#include <iostream>

#include "base/memory.h"
#include "commands.h"
#include "report_pdf.h"
#include "study/kind.h"

using namespace heron;

namespace heron::cli {

int exit_status(Fault fault) {
  switch (fault) {
    case Fault::usage:
      return 2;
    case Fault::input:
      return 3;
    case Fault::bench:
      return 4;
    case Fault::stopped:
      return 5;
  }
  return 3;
}

}  // namespace heron::cli

namespace {

/// Errors are one line, whatever a message brings along.
int complain(int status, std::string message) {
  for (auto& c : message)
    if (c == '\n' || c == '\r') c = ' ';
  std::fprintf(stderr, "heron: %s\n", message.c_str());
  return status;
}

/// A polite stop is status 5 from the first moment on: before main() begins, and in commands that have nothing to save.
/// Commands that save what was read take the signals over while they work.
__attribute__((constructor)) void stop_politely() {
  const auto end = [](int) { _exit(5); };
  std::signal(SIGINT, end);
  std::signal(SIGTERM, end);
}

}  // namespace

int main(int argc, char** argv) {
  std::signal(SIGPIPE, SIG_IGN);
  keep_freed_memory();
  CLI::App app("Sweeps, figures and verdicts without a window", "heron");
  app.set_version_flag("--version", "heron " HERON_VERSION);
  app.require_subcommand(1);
  std::function<Result<int>()> work;

  std::string file, folder;
  bool json = false, check = false;
  int take_number = 0;

  auto* demo = app.add_subcommand("demo", "write the demo dossier and its circuits into a folder");
  demo->add_option("DIR", folder)->required();
  demo->callback([&] { work = [&] { return cli::demo(folder); }; });

  auto* create = app.add_subcommand("new", "make an empty dossier");
  create->add_option("FILE", file)->required();
  std::vector<std::string> templates;
  create->add_option("--template", templates, "a study to begin with, as `export` writes it; repeatable")->allow_extra_args(false);
  create->callback([&] { work = [&] { return cli::create(file, templates); }; });

  auto* show = app.add_subcommand("show", "device, studies, takes, figures, claims with verdicts");
  show->add_option("FILE", file)->required();
  show->add_flag("--json", json, "one JSON object instead of text");
  show->add_flag("--check", check, "only say whether the file is sound, and what could be saved");
  show->callback([&] { work = [&] { return cli::show(file, json, check); }; });

  auto* judge = app.add_subcommand("judge", "the ledger: every claim, its value, margin, verdict");
  judge->add_option("FILE", file)->required();
  judge->add_flag("--json", json, "one JSON object instead of text");
  judge->callback([&] { work = [&] { return cli::judge_all(file, json); }; });

  cli::TakeOptions take_options;
  auto* take = app.add_subcommand("take", "run a study of the dossier on a bench, saving each point as it is read");
  take->add_option("FILE", take_options.file)->required();
  auto* which = take->add_option("STUDY", take_options.study);
  auto* every = take->add_flag("--all", take_options.all, "every study, one after another; what fails to run is told, and the rest goes on");
  every->excludes(which);
  take->add_option("--unit", take_options.units, "put this unit on the bench; repeatable: one after another");
  take->add_option("--note", take_options.note, "kept with the take");
  take->add_option("--bench", take_options.bench, "which bench: simulated, or paced: no faster than a real one");
  take->add_option("--accept", take_options.accepted,
                   "a serious preflight finding to go ahead with, by its key; repeatable");
  take->add_option("--seed", take_options.seed, "of the simulated instruments, to repeat a take exactly");
  take->callback([&] { work = [&] { return cli::take(take_options); }; });

  cli::AnalyseOptions analyse_options;
  auto* analyse = app.add_subcommand("analyse", "figures from data files alone, no dossier");
  std::string kinds;
  for (const auto* kind : study::kinds()) kinds += (kinds.empty() ? "" : ", ") + std::string(kind->name);
  analyse->add_option("KIND", analyse_options.kind, kinds)->required();
  analyse->add_option("INPUT", analyse_options.inputs)->required();
  analyse->add_flag("--json", analyse_options.json, "one JSON object instead of a table");
  const auto repeatable = [](CLI::Option* option) { option->allow_extra_args(false); };
  repeatable(analyse->add_option("--column", analyse_options.columns, "ROLE=NAME: which column plays which role"));
  repeatable(analyse->add_option("--scale", analyse_options.scales, "ROLE=FACTOR: multiplies a column"));
  repeatable(analyse->add_option("--set", analyse_options.settings, "KEY=VALUE: a setting"));
  repeatable(analyse->add_option("--figure", analyse_options.figures, "KEY: also report this figure"));
  analyse->add_option("--claims", analyse_options.claims, "judge the figures against these claims");
  analyse->callback([&] { work = [&] { return cli::analyse(analyse_options); }; });

  cli::ImportOptions import_options;
  auto* import = app.add_subcommand("import", "add data files, another dossier of the device, or a folder that export wrote");
  import->add_option("FILE", import_options.file)->required();
  import->add_option("INPUT", import_options.inputs)->required();
  import->add_option("--study", import_options.study, "which study data files are takes of");
  repeatable(import->add_option("--column", import_options.columns, "ROLE=NAME: which column plays which role"));
  repeatable(import->add_option("--scale", import_options.scales, "ROLE=FACTOR: multiplies a column"));
  import->add_flag("--aside", import_options.aside, "to be looked at, never judged");
  import->callback([&] { work = [&] { return cli::import(import_options); }; });

  auto* all = app.add_subcommand("export", "everything in open formats");
  all->add_option("FILE", file)->required();
  all->add_option("DIR", folder)->required();
  all->add_option("--take", take_number, "only takes of this number");
  all->callback([&] { work = [&] { return cli::export_all(file, folder, take_number); }; });

  cli::ReportOptions report_options;
  auto* report = app.add_subcommand("report", "the report: one file, pictures inside, nothing fetched");
  report->add_option("FILE", report_options.file)->required();
  report->add_option("OUT", report_options.out, "ends in .html or .pdf")->required();
  repeatable(report->add_option("--study", report_options.studies, "only this study; repeatable"));
  repeatable(report->add_option("--unit", report_options.units, "only this unit; repeatable"));
#ifdef HERON_PAPER
  report_options.pdf = cli::report_pdf;
#endif
  report->callback([&] { work = [&] { return cli::report(report_options); }; });

  try {
    app.parse(argc, argv);
  } catch (const CLI::ParseError& e) {
    if (e.get_exit_code() == 0) return app.exit(e);
    return complain(2, std::string(e.what()) + " (try heron --help)");
  }
  const auto status = work();
  if (!status) return complain(cli::exit_status(status.error().fault), status.error().message);
  std::cout.flush();
  if (!std::cout) return complain(3, "the output cannot be written.");
  return *status;
}
