#pragma once
#include <map>
#include <memory>
#include <string>
#include <vector>

#include "bench/bench.h"
#include "bench/foresight.h"
#include "device/expectation.h"
#include "device/rating.h"
#include "study/kind.h"

namespace heron::study {

/// What a plan is edited, checked and run among. Gathered once; the same for every kind of study.
struct Surroundings {
  std::vector<std::string> pins = {};       ///< that a hookup can name: of the device, its branches, the drive lead
  std::vector<std::string> terminals = {};  ///< of the device alone
  std::vector<std::string> grounded = {};   ///< branches of it that end at ground
  std::vector<std::string> contacts = {};   ///< of the device, that a person can move
  std::vector<bench::ToldQuantity> told = {};  ///< that the device is told by hand or by a pin, its temperature among them
  std::vector<std::string> thermometers = {};  ///< places of the device whose temperature can be read
  bench::Limits limits = {};
  device::Ratings ratings = {};
  std::map<std::string, bench::Coding> converters = {};  ///< of the device, by the pin that gives their codes
  std::map<std::string, device::PartFact> parts = {};  ///< nominal, or as fitted, with what they may be off by
  std::vector<bench::Sensor> own_sensors = {};         ///< of the user, beside the stock ones
  SettingsText settings = {};                          ///< how the study is read
  std::vector<std::string> asked = {};                 ///< figures that claims ask for
  std::shared_ptr<const bench::Foresight> circuit = {};  ///< null: nothing can be foreseen

  /// Parts that a formula can name, with their values...
  std::vector<std::pair<std::string, double>> formula_values() const;
  /// ...and their relative standard uncertainties, where they have one: anything within a tolerance is as likely.
  std::map<std::string, double> formula_uncertainties() const;
};

}  // namespace heron::study
