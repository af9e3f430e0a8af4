#include "study/applied.h"

namespace heron::study {
namespace {

/// Throws what the JSON library throws where a word stands for a number.
Result<AsSensed> sensed_from(const nlohmann::json& kept) {
  AsSensed out;
  const nlohmann::json none = nlohmann::json::object();
  for (const char* key : {"sensing", "parts", "roles"})
    if (const auto it = kept.find(key); it != kept.end() && !it->is_object())
      return fail(Fault::input, "{}: an object is wanted", key);
  const auto all_of = [&](const char* key) -> const nlohmann::json& {
    const auto it = kept.find(key);
    return it == kept.end() ? none : *it;
  };
  for (const auto& [name, one] : all_of("sensing").items()) {
    auto sensing = bench::sensing_from_json(one);
    if (!sensing) return tl::unexpected(sensing.error());
    out.channels.emplace(name, std::move(*sensing));
  }
  if (const auto list = kept.find("computed"); list != kept.end()) {
    auto computed = bench::computed_from_json(*list);
    if (!computed) return tl::unexpected(computed.error());
    out.computed = std::move(*computed);
  }
  if (const auto at = kept.find("trigger_at"); at != kept.end()) out.trigger_at = at->get<double>();
  for (const auto& [name, value] : all_of("parts").items())
    if (value.is_number()) out.parts.push_back({name, value.get<double>()});
  for (const auto& [role, quantity] : all_of("roles").items())
    out.roles.emplace(role, quantity.get<std::string>());
  return out;
}

}  // namespace

const bench::Sensing& AsSensed::of(std::string_view channel) const {
  static const bench::Sensing plain;
  const auto it = channels.find(channel);
  return it == channels.end() ? plain : it->second;
}

std::string AsSensed::quantity(std::string_view role) const {
  const auto it = roles.find(role);
  return it == roles.end() ? std::string(role) : it->second;
}

Applied::Applied(nlohmann::json kept) : json_(std::move(kept)) {
  if (!readable()) return;
  try {
    purpose_ = json_.value("purpose", std::string());
    auto sensed = sensed_from(json_);
    if (sensed)
      sensed_ = std::move(*sensed);
    else
      wrong_ = sensed.error().message;
  } catch (const nlohmann::json::exception& e) {
    wrong_ = e.what();
  }
}

Result<const AsSensed*> Applied::sensed() const {
  if (!wrong_.empty()) return fail(Fault::input, "How it was sensed cannot be read: {}.", wrong_);
  return &sensed_;
}

Applied Applied::with(const std::string& key, nlohmann::json value) const {
  auto other = json_;
  other[key] = std::move(value);
  return Applied(std::move(other));
}

Applied Applied::without(const std::string& key) const {
  auto other = json_;
  other.erase(key);
  return Applied(std::move(other));
}

}  // namespace heron::study
