#pragma once
#include <filesystem>

#include "run/take.h"
#include "mudlark/recipe.h"

/// Dossiers to measure with, made once a process.
namespace heron::perf {

inline std::filesystem::path scratch() {
  static const auto folder = [] {
    auto path = std::filesystem::temp_directory_path() / ("heron-perf-" + std::to_string(getpid()));
    std::filesystem::create_directories(path);
    return path;
  }();
  return folder;
}

inline const std::string& demo_path() {
  static const auto path = demo::write((scratch() / "demo").string()).value();
  return path;
}

/// A dossier with so many takes, each with the first points of one take of the demo's sweep.
inline std::string dossier_with(int takes) {
  const auto path = (scratch() / fmt::format("takes-{}.heron", takes)).string();
  if (std::filesystem::exists(path)) return path;
  auto source = dossier::Store::open(demo_path()).value();
  const auto study = source.find_study("Preamp passband").value();
  const auto points = source.points(source.takes(study.id)->front().id).value();
  auto store = dossier::Store::create(path).value();
  (void)store.set_device(source.device().value());
  const auto id = store.add_study(study).value();
  for (int k = 0; k < takes; ++k) {
    const auto take = store.begin_take(id, "unit 01", "Simulated bench", nlohmann::json::object(), 4).value();
    for (std::size_t i = 0; i < 4; ++i) (void)store.add_point(take, points[i]);
    (void)store.finish_take(take, dossier::TakeState::finished);
  }
  return path;
}

}  // namespace heron::perf
