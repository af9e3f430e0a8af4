#pragma once
#include <string>
#include <string_view>
#include <utility>

#include "study/iv/plan.h"

/// What the brief's sentences and the words typed into them share.
namespace heron::study::iv {

inline constexpr double kMainsPeriod = 0.02;  ///< s

inline constexpr std::pair<Course, const char*> kCourses[] = {
    {Course::up, "up"}, {Course::down, "down"}, {Course::both, "there and back"}};
inline constexpr std::pair<Role, const char*> kRoles[] = {
    {Role::swept, "swept"}, {Role::stepped, "stepped"}, {Role::constant, "constant"}};
inline constexpr std::pair<Method, const char*> kMethods[] = {{Method::readings, "source-measure channels"},
                                                              {Method::waveform, "generators and inputs"}};

template <class Enum, std::size_t n>
const char* words_of(Enum value, const std::pair<Enum, const char*> (&table)[n]) {
  for (const auto& [which, words] : table)
    if (which == value) return words;
  return "";
}

/// Name and word out of "source.NAME.WORD"; a name may hold dots.
std::optional<std::pair<std::string, std::string>> source_key(std::string_view key);

}  // namespace heron::study::iv
