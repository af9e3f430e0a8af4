#pragma once
#include <memory>
#include <nlohmann/json.hpp>
#include <string>
#include <vector>

#include "bench/bench.h"
#include "bench/foresight.h"
#include "dossier/store.h"
#include "judge/claim.h"
#include "study/surroundings.h"

namespace heron::sim {
struct Circuit;
}

/// What is measured and what measures it, out of a dossier.
namespace heron::run {

/// One part of the device's circuit, for people.
struct PartRow {
  std::string name, kind, unit, note;
  double nominal = 0, tolerance = 0;  ///< in the unit; relative
};

/// A device as it stands on the bench: one assembly with the unit that is chosen. Read once, the same for all studies
/// of it.
struct Device {
  dossier::DeviceInfo info;
  dossier::Unit unit;
  std::string trouble = {};                                ///< why its circuit cannot be read; empty where it can
  std::shared_ptr<const sim::Circuit> circuit = {};        ///< nominal; null where there is none
  std::shared_ptr<const bench::Foresight> foresight = {};  ///< null without a circuit
  std::vector<std::string> terminals = {};                 ///< its pins
  std::vector<std::string> grounded = {};                  ///< those of its branches that end at ground
  std::vector<std::string> branches = {};                  ///< whose currents can be sensed
  std::vector<std::string> contacts = {};                  ///< that a person can move
  std::vector<std::string> thermometers = {};              ///< places of it whose temperature can be read
  std::vector<bench::ToldQuantity> told = {};              ///< that it is told by hand or by a pin
  std::map<std::string, bench::Coding> converters = {};  ///< by the pin that gives their codes
  device::Ratings ratings = {};                            ///< of the circuit, those set by hand over them
  std::vector<PartRow> parts = {};
  bench::Limits limits = {};                               ///< of its bench

  /// All that a hookup can name.
  std::vector<std::string> pins() const;
  const PartRow* find_part(std::string_view name) const;
  /// Values as fitted where they were, else nominal, with what they may be off by.
  std::map<std::string, device::PartFact> part_facts() const;
};

Result<Device> read_device(dossier::Store& store, long long assembly = dossier::kMainAssembly);
/// The same for one that is in memory already; a circuit that cannot be read is its `trouble`.
Device device_of(dossier::DeviceInfo info, dossier::Unit unit);
/// Whether a text is a circuit, and its title; the error names the line.
Result<std::string> check_circuit(const std::string& text, const std::string& name);

/// What a study of the device is edited, checked and run among.
Result<study::Surroundings> surroundings_of(dossier::Store& store, const dossier::Study& study);
/// @param asked  figures that claims ask for
study::Surroundings surroundings_of(const Device& device, const study::SettingsText& settings,
                                    std::vector<std::string> asked);

/// Makes the bench for a device. The one place where a bench is chosen.
/// @param name  "simulated", or "paced" for one that is no faster than a real one
/// @param seed  of the simulated instruments and their noise
/// @param stand_in  "open", "short" or "load" in the device's place; empty for the device
/// @param ohms  of the load
Result<std::unique_ptr<bench::Bench>> open_bench(const Device& device, const std::string& name, std::uint64_t seed,
                                                 const std::string& stand_in = {}, double ohms = 1000);
Result<std::unique_ptr<bench::Bench>> open_bench(dossier::Store& store, const std::string& name, std::uint64_t seed,
                                                 long long assembly = dossier::kMainAssembly,
                                                 const std::string& stand_in = {}, double ohms = 1000);

/// Every part value of a simulated unit as it was drawn within its tolerance: what no measurement is told, for those
/// who hold measurements against it. Empty without a circuit.
nlohmann::json drawn_values(const Device& device);
nlohmann::json drawn_values(dossier::Store& store, const dossier::Unit& unit, long long assembly);

/// What formulas see: nominal part values, with the fitted ones of a take or of a unit put over them.
judge::PartValues part_values(const Device& device, const std::map<std::string, double>& fitted);

/// What the instruments can do and how they err, as tables for people.
struct DataSheet {
  std::string title;
  std::vector<std::pair<std::string, std::string>> rows;
};
std::vector<DataSheet> data_sheets();

}  // namespace heron::run
