#pragma once
#include "study/response/plan.h"
#include "study/word_table.h"

namespace heron::study::response {

/// Every setting of a response's plan. Words of the hookup are shared by all kinds: see hookup_words.h.
const WordTable<Plan>& words();

/// "noise", as it is kept.
std::string method_text(Method method);

}  // namespace heron::study::response
