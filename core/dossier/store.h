#pragma once
#include <map>
#include <memory>
#include <nlohmann/json.hpp>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "base/result.h"
#include "device/expectation.h"
#include "judge/claim.h"
#include "judge/typed.h"
#include "study/kind.h"
#include "study/raw.h"

namespace heron::dossier {

inline constexpr int kSchemaVersion = 12;

/// A device is made of assemblies, each with a circuit of its own; the first is there from the start.
inline constexpr long long kMainAssembly = 1;

/// The device as one of its assemblies shows it.
struct DeviceInfo {
  std::string name;                                    ///< "Mudlark buoy, rev C"
  std::string about;                                   ///< the assembly: "hydrophone preamp"
  std::string circuit;                                 ///< TOML text; empty for a device that only has imported data
  device::Ratings ratings = {};                        ///< set by hand; they stand over the circuit's
  std::vector<device::Expectation> expectations = {};  ///< by formula over part values
  std::string unreadable = {};  ///< of what is kept of it; it is then neither driven nor written over
};

struct Unit {
  long long id = 0;
  std::string name;                                     ///< "unit 07"
  std::map<std::string, double> fitted;                 ///< part values fitted or measured on this unit, SI
  std::map<std::string, double> fitted_tolerance = {};  ///< relative, of those that were measured; exact when absent
  std::string serial = {}, note = {};
};

struct Study {
  long long id = 0;
  std::string name, kind;
  nlohmann::json plan;
  study::SettingsText settings;
  std::optional<long long> wake;  ///< the take shown as the pale band
  long long assembly = kMainAssembly;
  std::string note = {};
  nlohmann::json look = nlohmann::json::object();  ///< how it is looked at, in the window's own words; no number depends on it
};

enum class TakeState { running, finished, stopped, failed };
std::string_view take_state_text(TakeState state);

struct Take {
  long long id = 0, study = 0;
  int number = 0;  ///< within the study, from 1
  std::string unit;
  std::string started;  ///< UTC, ISO 8601
  TakeState state = TakeState::finished;
  std::string origin;  ///< the bench's name, or the file it was imported from
  int points = 0, planned = 0;  ///< committed, and how many were meant to come: 0 where nobody knows
  std::string note;
  std::string purpose = {};  ///< empty: of the device; or what stood in its place: "open", "short", "load"
  bool aside = false;        ///< looked at, never judged: somebody's curve, a reference
  /// Watches that latch and tripped in it: when a person released each, UTC; empty where it still holds.
  std::map<std::string, std::string> latched = {};

  /// "7 of 41 points"; without the second where nobody knows how many there would be.
  std::string came() const;
  /// Points were lost or never read: stopped, failed, or the program died.
  bool incomplete() const { return state != TakeState::finished; }
  /// Whether it can turn a verdict: it has points, is of the device and is not laid aside.
  bool judges() const { return points > 0 && purpose.empty() && !aside; }
  /// Takes of merged dossiers have numbers of their own, so that time tells first.
  bool newer_than(const Take& other) const {
    return started != other.started ? started > other.started : number > other.number;
  }
};

/// A point whose records are still coming in pieces; see Store::begin_recording.
struct Recording {
  long long take = 0;
  std::vector<long long> records;                  ///< one a channel
  std::vector<std::vector<std::int16_t>> pending;  ///< counts that have come and are not in the file yet
  std::size_t stored = 0;                          ///< samples a channel that are
};

/// One study on one unit, in a row of them that is run one after another.
enum class QueueState { waiting, running, done, failed };
struct QueueItem {
  long long id = 0, unit = 0, study = 0;
  QueueState state = QueueState::waiting;
  std::optional<long long> take = {};  ///< that came of it
  std::string said = {};               ///< why it failed
};

/// A plot as somebody saw it, for the report.
struct ReportPicture {
  long long id = 0, study = 0;
  std::optional<long long> take = {};
  std::string caption, svg;
};

/// What came of bringing in another dossier.
struct Merged {
  int takes = 0, known = 0;        ///< brought in; there already
  int studies = 0, units = 0;      ///< that were new
  std::vector<std::string> said;   ///< what a person should know, a sentence each
};

/// What was made of a take and may be made again: see run/kept.h.
struct Derived {
  std::string mark;  ///< what it was made of
  std::vector<std::uint8_t> data;
};

/// The dossier: one SQLite file. docs/dossier.md has the schema.
///
/// Every change is its own transaction and is on disk when the call returns. Listing takes reads no records. One Store
/// belongs to one thread; several may have the same file open. Takes are written once: only their note, whether
/// they are laid aside, and that their watches were released can change afterwards.
class Store {
 public:
  static Result<Store> create(const std::string& path);

  /// Opens for reading and writing, or for reading alone where the file allows no more. Refuses a newer schema. A
  /// damaged file opens read-only with what can still be read; damage() then says so.
  static Result<Store> open(const std::string& path);
  /// The same for a file that this program has opened before: it is not gone through again for damage.
  static Result<Store> open_again(const std::string& path);

  ~Store();
  Store(Store&&) noexcept;
  Store& operator=(Store&&) noexcept;

  /// Writes all of it as one file that holds no more than it must, while others may go on writing to this one; in the place
  /// of a file that is there.
  Result<void> copy_to(const std::string& path);

  const std::string& path() const;
  bool read_only() const;
  const std::string& damage() const;  ///< empty for a sound file

  /// Takes of a run that no longer lives are marked as stopped. Call when no runner uses the file.
  Result<int> settle_dead_takes();

  Result<DeviceInfo> device(long long assembly = kMainAssembly);
  Result<void> set_device(const DeviceInfo& device, long long assembly = kMainAssembly);

  /// Ids and names, the main one first.
  Result<std::vector<std::pair<long long, std::string>>> assemblies();
  Result<long long> add_assembly(const std::string& about, const std::string& circuit);

  /// Units are the device's; what is fitted on them is told for one assembly.
  Result<std::vector<Unit>> units(long long assembly = kMainAssembly);
  Result<Unit> current_unit(long long assembly = kMainAssembly);
  Result<long long> add_unit(const std::string& name);
  Result<void> set_current_unit(long long unit);
  Result<void> set_unit_words(long long unit, const std::string& serial, const std::string& note);
  Result<void> set_fitted(long long unit, const std::string& part, std::optional<double> value, double tolerance = 0,
                          long long assembly = kMainAssembly);

  Result<std::vector<Study>> studies();
  Result<Study> find_study(const std::string& name);
  Result<long long> add_study(const Study& study);
  Result<void> set_plan(long long study, const nlohmann::json& plan);
  Result<void> set_settings(long long study, const study::SettingsText& settings);
  Result<void> set_wake(long long study, std::optional<long long> take);
  Result<void> set_study_note(long long study, const std::string& note);
  Result<void> set_look(long long study, const nlohmann::json& look);
  Result<std::string> device_note();
  Result<void> set_device_note(const std::string& note);

  Result<std::vector<judge::Claim>> claims(long long study);
  Result<std::vector<judge::Mask>> masks(long long study);
  Result<long long> add_claim(long long study, const judge::Claim& claim);
  Result<void> remove_claim(long long claim);
  Result<long long> add_mask(long long study, const judge::Mask& mask);
  Result<void> remove_mask(long long mask);

  /// Figures that were typed in, of all units.
  Result<std::vector<judge::TypedFigure>> typed_figures(long long study);
  /// In the place of one of the same key on the same unit.
  Result<void> type_figure(long long study, const judge::TypedFigure& typed);
  Result<void> remove_typed_figure(long long study, const std::string& key, long long unit);

  /// Newest last. @param most  0: all; otherwise the newest so many
  Result<std::vector<Take>> takes(long long study, int most = 0);
  Result<int> take_count(long long study);
  Result<Take> take(long long id);
  Result<nlohmann::json> take_setup(long long id);
  Result<void> set_note(long long take, const std::string& note);
  /// Laid aside a take turns no verdict; it can be laid aside and taken back at any time.
  Result<void> set_aside(long long take, bool aside);
  /// A watch that latches has tripped in a take.
  Result<void> latch(long long take, const std::string& watch);
  /// By hand; `released` false takes it back.
  Result<void> set_released(long long take, const std::string& watch, bool released);

  /// @param planned  how many points are meant to come; 0: nobody knows
  /// @param purpose  see Take
  Result<long long> begin_take(long long study, const std::string& unit, const std::string& origin,
                               const nlohmann::json& setup, int planned, const std::string& purpose = {});
  Result<void> add_point(long long take, const study::Point& point);
  Result<void> finish_take(long long take, TakeState state);

  /// A point with one record of any length, whose counts come in pieces: memory stays flat. What has been written stays,
  /// whatever happens.
  /// @param head  the point; the channels of its record have no counts yet
  Result<Recording> begin_recording(long long take, const study::Point& head);
  /// @param counts  one span a channel, all of the same length
  Result<void> append(Recording& recording, const std::vector<std::span<const std::int16_t>>& counts);
  /// Writes what is pending: at the end, and whenever a slow recording shall be safe up to now.
  Result<void> flush(Recording& recording);

  /// Brings in the takes of another dossier of the same device, each once, with the studies, units and typed figures that
  /// are missing here; a dossier in which nothing was done yet takes over the other's device. All of it or nothing.
  /// Takes come behind those that are here, with their own numbers where these are free, and keep all else. Fault::input names what does not go together.
  Result<Merged> merge(const std::string& other);

  /// The row of takes that is being made or was left; empty for none.
  Result<std::vector<QueueItem>> queue();
  /// In the place of the row there was; its items get new ids.
  Result<void> set_queue(const std::vector<QueueItem>& items);
  Result<void> set_queue_item(const QueueItem& item);

  /// What the report shall show, as it was chosen; see run/report.h. Nothing where nobody has.
  Result<std::optional<nlohmann::json>> report();
  Result<void> set_report(const nlohmann::json& content);
  Result<std::vector<ReportPicture>> pictures();
  Result<long long> add_picture(const ReportPicture& picture);
  Result<void> remove_picture(long long picture);

  /// Nothing where there is none, or it is damaged.
  Result<std::optional<Derived>> derived(long long take);
  /// Replaces what was there. Does nothing to a file that is open for reading only.
  Result<void> keep_derived(long long take, const Derived& derived);
  /// Everything derived goes; all of it can be made again from raw.
  Result<void> drop_derived();

  /// Takes back a pass of a run that keeps only its last one. Refused once anybody has written a note on it, made it
  /// the wake or put a picture of it into the report.
  Result<void> drop_pass(long long take);

  /// Points that are damaged in the file are left out; damaged_points() then counts them.
  Result<std::vector<study::Point>> points(long long take);
  /// How many points of a take were missing or damaged when points() last read it.
  int damaged_points(long long take) const;
  /// Reads all there is. Empty for a sound file, else what is damaged, a line each.
  Result<std::vector<std::string>> check_all();
  Result<study::Point> point(long long take, int index);

 private:
  struct Impl;
  static Result<Store> open_file(const std::string& path, bool look_through);
  explicit Store(std::unique_ptr<Impl> impl);
  std::unique_ptr<Impl> impl_;
};

}  // namespace heron::dossier
