#pragma once
// In the precompiled headers: what nearly every file reads or writes is compiled once, in json.cpp, not in each of them.
#include <nlohmann/json.hpp>

extern template class nlohmann::basic_json<>;
