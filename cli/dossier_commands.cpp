#include <algorithm>
#include <poll.h>
#include <termios.h>
#include <unistd.h>

#include <csignal>
#include <cstdio>
#include <filesystem>
#include <fstream>
#include <iostream>
#include <random>
#include <stop_token>
#include <thread>

#include "base/quantity.h"
#include "commands.h"
#include "exchange/curves.h"
#include "exchange/writers.h"
#include "mudlark/recipe.h"
#include "run/export.h"
#include "run/kept.h"
#include "run/ledger.h"
#include "run/study_template.h"
#include "run/take.h"
#include "study/kind.h"

namespace heron::cli {

using dossier::Store;
using nlohmann::json;

namespace {

/// Turns Ctrl+C and a polite kill into a stop request, while it lives.
class StopOnSignal {
 public:
  StopOnSignal() {
    sigemptyset(&signals_);
    sigaddset(&signals_, SIGINT);
    sigaddset(&signals_, SIGTERM);
    pthread_sigmask(SIG_BLOCK, &signals_, nullptr);
    watcher_ = std::jthread([this](std::stop_token over) {
      while (!over.stop_requested()) {
        const timespec wait{0, 50'000'000};
        if (sigtimedwait(&signals_, nullptr, &wait) > 0) stop_.request_stop();
      }
    });
  }
  std::stop_token token() { return stop_.get_token(); }

 private:
  sigset_t signals_{};
  std::stop_source stop_;
  std::jthread watcher_;
};

/// JSON for people's programs: UTF-8 whatever a file brought in.
std::string json_out(const json& of) { return of.dump(2, ' ', false, json::error_handler_t::replace); }

Result<Store> open_sound(const std::string& file) {
  auto store = Store::open(file);
  if (!store) return store;
  if (!store->damage().empty()) std::fprintf(stderr, "heron: %s\n", store->damage().c_str());
  if (auto settled = store->settle_dead_takes(); !settled) return tl::unexpected(settled.error());
  return store;
}

std::string judgement_text(const judge::Judgement& j) {
  if (!j.value) return "\u2013";
  auto text = format_with_uncertainty(*j.value, j.u, j.unit);
  return text.uncertainty.empty() ? text.plain() : text.plain() + " \u00b1 " + text.uncertainty;
}

void print_line(const run::LedgerLine& line) {
  const auto& j = line.judgement;
  std::cout << "  " << padded(std::string(judge::verdict_words(j.verdict)), 14) << padded(line.text(), 44) << " "
            << padded(judgement_text(j), 26) << " ";
  if (j.margin)
    std::cout << "margin " << format_quantity(*j.margin, j.unit, 3).plain();
  else
    std::cout << j.reason;
  if (!j.caveat.empty()) std::cout << "  (" << j.caveat << ")";
  if (line.typed) std::cout << "  (typed in, read " << line.typed->source << ")";
  std::cout << "\n";
}

json line_json(const run::LedgerLine& line) {
  auto out = run::to_json(line);
  out["study"] = line.study;
  return out;
}

int worst_status(const std::vector<run::LedgerLine>& lines) {
  for (const auto& line : lines)
    if (line.judgement.verdict == judge::Verdict::fails) return 1;
  return 0;
}

}  // namespace

Result<int> demo(const std::string& folder) {
  const auto path = demo::write(folder);
  if (!path) return tl::unexpected(path.error());
  std::cout << *path << "\n";
  return 0;
}

Result<int> create(const std::string& file, const std::vector<std::string>& templates) {
  // All of them are looked at before anything is made.
  std::vector<run::StudyTemplate> studies;
  for (const auto& name : templates) {
    const auto text = exchange::read_file(name);
    if (!text) return tl::unexpected(text.error());
    auto study = run::template_from(*text, name);
    if (!study) return tl::unexpected(study.error());
    studies.push_back(std::move(*study));
  }
  auto store = Store::create(file);
  if (!store) return tl::unexpected(store.error());
  for (const auto& study : studies)
    if (const auto added = run::add_study(*store, study); !added) return tl::unexpected(added.error());
  return 0;
}

Result<int> show(const std::string& file, bool as_json, bool check) {
  auto store = open_sound(file);
  if (!store) return tl::unexpected(store.error());
  if (check) {
    const auto said = store->check_all();
    if (!said) return tl::unexpected(said.error());
    if (as_json)
      std::cout << json_out({{"sound", said->empty()}, {"damage", *said}}) << "\n";
    else
      for (const auto& line : *said) std::cout << line << "\n";
    if (!as_json && said->empty()) std::cout << "The file is sound: every point is as it was written.\n";
    if (!said->empty()) return fail(Fault::input, "{}: the file is damaged.", file);
    return 0;
  }
  const auto device = store->device();
  const auto unit = store->current_unit();
  const auto studies = store->studies();
  if (!device) return tl::unexpected(device.error());
  if (!unit) return tl::unexpected(unit.error());
  if (!studies) return tl::unexpected(studies.error());
  json out = {
      {"device", {{"name", device->name}, {"about", device->about}, {"unit", unit->name}, {"fitted", unit->fitted}}},
      {"studies", json::array()}};
  if (const auto assemblies = store->assemblies(); as_json && assemblies)
    for (const auto& [assembly, about] : *assemblies)
      if (const auto here = store->current_unit(assembly))
        out["device"]["known_only_to_a_simulation"][about] = run::drawn_values(*store, *here, assembly);
  if (!as_json)
    std::cout << device->name << (device->about.empty() ? "" : ", " + device->about) << ", " << unit->name << "\n";
  for (const auto& study : *studies) {
    const auto takes = store->takes(study.id);
    if (!takes) return tl::unexpected(takes.error());
    json list = json::array();
    long long newest = takes->empty() ? 0 : takes->back().id;
    for (const auto& take : *takes)
      if (take.points > 0 && take.purpose.empty() && !take.aside) newest = take.id;
    if (!as_json) std::cout << "\n" << study.name << " (" << study.kind << ")\n";
    for (const auto& take : *takes) {
      if (!as_json)
        std::cout << "  Take " << take.number << "  " << take.started << "  " << take.unit << "  "
                  << (take.incomplete() ? "incomplete: " + take.came()
                                        : fmt::format("{} point{}", take.points, take.points == 1 ? "" : "s"))
                  << (take.aside ? "  laid aside" : "") << (take.note.empty() ? "" : "  " + take.note) << "\n";
      std::optional<study::Analysis> analysis;
      if (take.points > 0) {
        auto read = run::analyse_take(*store, study, take);
        if (!read) return tl::unexpected(read.error());
        analysis = std::move(*read);
      }
      if (as_json) {
        if (analysis) {
          auto one = run::take_json(*store, study, take, *analysis);
          if (!one) return tl::unexpected(one.error());
          list.push_back(std::move(*one));
        } else {
          list.push_back({{"take", take.number},
                          {"unit", take.unit},
                          {"state", dossier::take_state_text(take.state)},
                          {"figures", json::array()}});
        }
        continue;
      }
      if (!analysis || take.id != newest) continue;
      for (const auto& f : analysis->reading.figures) {
        const auto text = format_with_uncertainty(f.value, f.u, f.unit);
        std::cout << "    " << padded(f.label, 30) << " " << padded(text.plain(), 16)
                  << (text.uncertainty.empty() ? "" : "\u00b1 " + text.uncertainty) << "\n";
      }
      for (const auto& d : analysis->reading.doubts) std::cout << "    doubt: " << d.text << "\n";
      const auto lines = run::judge_take(*store, study, &take, &*analysis);
      if (!lines) return tl::unexpected(lines.error());
      for (const auto& line : *lines) print_line(line);
    }
    if (takes->empty() && !as_json) std::cout << "  no takes yet\n";
    out["studies"].push_back({{"name", study.name},
                              {"kind", study.kind},
                              {"plan", study.plan},
                              {"settings", study.settings},
                              {"takes", list}});
  }
  if (as_json)
    std::cout << json_out(out) << "\n";
  else if (studies->empty())
    std::cout << "\nno studies yet\n";
  return 0;
}

Result<int> judge_all(const std::string& file, bool as_json) {
  auto store = open_sound(file);
  if (!store) return tl::unexpected(store.error());
  const auto lines = run::ledger(*store);
  if (!lines) return tl::unexpected(lines.error());
  if (as_json) {
    json list = json::array();
    for (const auto& line : *lines) list.push_back(line_json(line));
    std::cout << json_out(json{{"claims", list}}) << "\n";
    return worst_status(*lines);
  }
  std::string study;
  for (const auto& line : *lines) {
    if (line.study != study) std::cout << (study = line.study) << "\n";
    print_line(line);
  }
  if (lines->empty()) std::cout << "no claims yet\n";
  return worst_status(*lines);
}

namespace {

/// One take of one study on the unit that stands on the bench; what came of it is printed.
Result<int> take_one(dossier::Store& store, const dossier::Study& study, const TakeOptions& options, std::uint64_t seed, std::stop_token stop) {
  const bool terminal = isatty(STDERR_FILENO) != 0;
  run::TakeEvents events;
  events.progress = [&](const study::Progress& p) {
    // Between points alone where lines stay; what it waits for, where they do not.
    if (!terminal && p.share > 0) return;
    if (!p.waits.empty()) {
      if (terminal) std::fprintf(stderr, "\rwaiting for %s\033[K", p.waits.c_str());
      return;
    }
    if (terminal)
      std::fprintf(stderr, "\r%d of %d points, %s left on a real bench\033[K", p.done, p.total,
                   format_duration(p.bench_seconds_left).c_str());
    else
      std::fprintf(stderr, "%d of %d points, %s left on a real bench\n", p.done, p.total,
                   format_duration(p.bench_seconds_left).c_str());
  };
  events.said = [&](const std::string& said) { std::fprintf(stderr, "%s%s\n", terminal ? "\r\033[K" : "", said.c_str()); };
  events.ask = [&](const std::string& what) -> Result<void> {
    std::fprintf(stderr, "%s%s, then press Enter.\n", terminal ? "\r\033[K" : "", what.c_str());
    // What was typed before the question is no answer to it.
    if (isatty(STDIN_FILENO)) tcflush(STDIN_FILENO, TCIFLUSH);
    // Looked at again and again, so that it can be stopped meanwhile.
    constexpr int kPatience = 100;  // ms
    for (pollfd in{.fd = STDIN_FILENO, .events = POLLIN, .revents = 0}; !stop.stop_requested();) {
      if (poll(&in, 1, kPatience) <= 0) continue;
      char typed = 0;
      if (read(STDIN_FILENO, &typed, 1) <= 0) return fail(Fault::stopped, "Nobody answered; what was read is kept.");
      if (typed == '\n') return {};
    }
    return fail(Fault::stopped, "Stopped.");
  };
  events.found = [&](const std::vector<study::Doubt>& findings) -> Result<void> {
    for (const auto& d : findings)
      std::cout << "  before the take, " << study::severity_text(d.severity) << " (" << d.key << "): " << d.text << " "
                << d.remedy << "\n";
    std::cout.flush();
    // A key that was mistyped is told before the bench drives anything.
    for (const auto& key : options.accepted)
      if (std::none_of(findings.begin(), findings.end(), [&](const auto& f) { return f.key == key; }))
        return fail(Fault::usage, "Nothing was found that is called \"{}\"; there is nothing to accept.", key);
    return {};
  };
  const auto id = run::run_take(
      store, study, options.bench, seed,
      {.note = options.note, .accepted = {options.accepted.begin(), options.accepted.end()}}, events, stop);
  if (terminal) std::fputc('\n', stderr);
  if (!id) return tl::unexpected(id.error());
  const auto info = store.take(*id);
  if (!info) return tl::unexpected(info.error());
  const auto read = run::read_and_keep(store, study, *info);
  if (!read) return tl::unexpected(read.error());
  const auto* analysis = &read->analysis;
  const auto lines = run::judge_take(store, study, &*info, analysis);
  if (!lines) return tl::unexpected(lines.error());
  std::cout << "Take " << info->number << " of " << study.name << ", " << info->points << (info->points == 1 ? " point\n" : " points\n");
  for (const auto& d : analysis->reading.doubts)
    std::cout << "  " << study::severity_text(d.severity) << ": " << d.text << " " << d.remedy << "\n";
  for (const auto& line : *lines) print_line(line);
  return worst_status(*lines);
}

}  // namespace

Result<int> take(const TakeOptions& options) {
  if (options.study.empty() && !options.all) return fail(Fault::usage, "say which study, or --all.");
  auto store = open_sound(options.file);
  if (!store) return tl::unexpected(store.error());
  std::vector<dossier::Study> studies;
  if (options.all) {
    auto all = store->studies();
    if (!all) return tl::unexpected(all.error());
    studies = std::move(*all);
    if (studies.empty()) return fail(Fault::usage, "{}: there is no study to take.", options.file);
  } else {
    const auto one = store->find_study(options.study);
    if (!one) return tl::unexpected(one.error());
    studies = {*one};
  }
  const auto units = store->units();
  if (!units) return tl::unexpected(units.error());
  const auto before = store->current_unit();
  if (!before) return tl::unexpected(before.error());
  std::vector<dossier::Unit> wanted;
  for (const auto& name : options.units) {
    const auto it = std::find_if(units->begin(), units->end(), [&](const auto& u) { return u.name == name; });
    if (it == units->end()) return fail(Fault::usage, "there is no unit \"{}\".", name);
    wanted.push_back(*it);
  }
  if (wanted.empty()) wanted.push_back(*before);
  const std::uint64_t seed = options.seed >= 0 ? std::uint64_t(options.seed) : std::random_device{}();
  StopOnSignal stop;
  const bool several = wanted.size() * studies.size() > 1;
  int worst = 0;
  std::uint64_t done = 0;
  std::optional<Error> ended;
  std::vector<std::string> failed;
  for (const auto& unit : wanted) {
    if (ended) break;
    if (unit.id != before->id || several)
      if (auto ok = store->set_current_unit(unit.id); !ok) return tl::unexpected(ok.error());
    for (const auto& study : studies) {
      if (several) std::cout << unit.name << ", " << study.name << ":\n" << std::flush;
      const auto one = take_one(*store, study, options, seed + done++, stop.token());
      if (one) {
        worst = std::max(worst, *one);
        continue;
      }
      if (!several || one.error().fault == Fault::stopped) {
        ended = one.error();
        break;
      }
      std::fprintf(stderr, "heron: %s, %s: %s\n", unit.name.c_str(), study.name.c_str(), one.error().message.c_str());
      failed.push_back(study.name);
    }
  }
  // The bench is left with the unit that it had.
  if (several || !options.units.empty())
    if (auto ok = store->set_current_unit(before->id); !ok) return tl::unexpected(ok.error());
  if (ended) return tl::unexpected(*ended);
  if (!failed.empty()) return fail(Fault::bench, "{} of {} takes could not be made; the others are kept.", failed.size(), done);
  return worst;
}

namespace {

/// The dossier that an input is, or that lies in the folder it is; nothing for a data file.
std::optional<std::string> dossier_in(const std::string& input) {
  std::error_code failure;
  if (std::filesystem::is_directory(input, failure)) return (std::filesystem::path(input) / run::kExportedDossier).string();
  std::ifstream file(input, std::ios::binary);
  char head[16] = {};
  file.read(head, sizeof head);
  return std::string_view(head, 15) == "SQLite format 3" ? std::optional(input) : std::nullopt;
}

Result<int> merge_all(const std::string& file, const std::vector<std::string>& dossiers, std::stop_token stop) {
  auto store = open_sound(file);
  if (!store) return tl::unexpected(store.error());
  std::size_t done = 0;
  for (const auto& other : dossiers) {
    if (stop.stop_requested()) return fail(Fault::stopped, "stopped after {} of {} dossiers; what was brought in is kept.", done, dossiers.size());
    const auto merged = store->merge(other);
    if (!merged) return tl::unexpected(merged.error());
    for (const auto& said : merged->said) std::fprintf(stderr, "%s: %s\n", other.c_str(), said.c_str());
    std::cout << other << ": " << merged->takes << (merged->takes == 1 ? " take" : " takes") << " brought in, " << merged->known << " known, " << merged->studies
              << (merged->studies == 1 ? " new study, " : " new studies, ") << merged->units << (merged->units == 1 ? " new unit\n" : " new units\n");
    ++done;
  }
  return 0;
}

}  // namespace

Result<int> import(const ImportOptions& options) {
  StopOnSignal stop;
  std::vector<std::string> dossiers;
  for (const auto& input : options.inputs)
    if (auto dossier = dossier_in(input)) dossiers.push_back(std::move(*dossier));
  if (!dossiers.empty()) {
    if (dossiers.size() != options.inputs.size()) return fail(Fault::usage, "dossiers and data files cannot be brought in together.");
    if (!options.study.empty() || options.aside || !options.columns.empty() || !options.scales.empty())
      return fail(Fault::usage, "a dossier is brought in as it is; --study, --column, --scale and --aside are for data files.");
    return merge_all(options.file, dossiers, stop.token());
  }
  if (options.study.empty()) return fail(Fault::usage, "say of which study: --study NAME.");
  const auto stopped_now = [&](std::size_t done) -> Result<int> {
    return fail(Fault::stopped, "stopped after {} of {} files; what was read is kept.", done, options.inputs.size());
  };
  auto store = open_sound(options.file);
  if (!store) return tl::unexpected(store.error());
  const auto study = store->find_study(options.study);
  if (!study) return tl::unexpected(study.error());
  const auto choice = column_choice(options.columns, options.scales);
  if (!choice) return tl::unexpected(choice.error());
  const auto* kind = study::find_kind(study->kind);
  if (!kind) return fail(Fault::usage, "Studies of kind \"{}\" cannot take data yet.", study->kind);
  // Every file is looked at before any becomes a take, so that a bad one leaves nothing half done. Curves are read a
  // second time rather than all held at once.
  const exchange::FileReading reading{.columns = *choice, .parameter = {}, .several = exchange::Several::apart};
  for (const auto& input : options.inputs) {
    if (stop.token().stop_requested()) return stopped_now(0);
    const auto curves = exchange::read_curves(input, *kind, reading);
    if (!curves) return tl::unexpected(curves.error());
    for (const auto& curve : *curves)
      if (const auto tried = run::check_import(*kind, study->settings, curve.record); !tried)
        return fail(tried.error().fault, "{}: {}", input, tried.error().message);
  }
  std::size_t done = 0;
  for (const auto& input : options.inputs) {
    if (stop.token().stop_requested()) return stopped_now(done);
    const auto curves = exchange::read_curves(input, *kind, reading);
    if (!curves) return tl::unexpected(curves.error());
    for (const auto& curve : *curves)
      if (const auto take =
              run::import_take(*store, *study, curve.record, curve.name, curve.notes, options.aside);
          !take)
        return fail(take.error().fault, "{}: {}", curve.name, take.error().message);
    ++done;
    std::fprintf(stderr, "%zu of %zu files\n", done, options.inputs.size());
  }
  return 0;
}

Result<int> export_all(const std::string& file, const std::string& folder, int number) {
  auto store = open_sound(file);
  if (!store) return tl::unexpected(store.error());
  const auto studies = store->studies();
  if (!studies) return tl::unexpected(studies.error());
  int files = 0, takes_written = 0;
  for (const auto& study : *studies) {
    if (number == 0) {
      const auto kept = run::template_of(*store, study);
      if (!kept) return tl::unexpected(kept.error());
      std::error_code failure;
      const auto beside = std::filesystem::path(folder) / "templates";
      std::filesystem::create_directories(beside, failure);
      if (auto ok = exchange::write_file((beside / (exchange::file_name(study.name) + ".json")).string(), json_out(run::to_json(*kept)) + "\n"); !ok) return tl::unexpected(ok.error());
      ++files;
    }
    const auto takes = store->takes(study.id);
    if (!takes) return tl::unexpected(takes.error());
    for (const auto& take : *takes) {
      if ((number != 0 && take.number != number) || take.points == 0) continue;
      const auto written = run::export_take(*store, study, take, folder);
      if (!written) return written;
      files += *written;
      ++takes_written;
    }
  }
  if (number == 0) {
    std::error_code failure;
    std::filesystem::create_directories(folder, failure);
    if (const auto copied = store->copy_to((std::filesystem::path(folder) / run::kExportedDossier).string()); !copied) return tl::unexpected(copied.error());
    ++files;
  }
  if (number != 0 && takes_written == 0) return fail(Fault::usage, "{}: there is no take {}.", file, number);
  std::cout << files << " files in " << folder << "\n";
  return 0;
}

}  // namespace heron::cli
