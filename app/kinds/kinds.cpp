#include <algorithm>

#include "conversion/conversion_kind_view.h"
#include "iv/iv_view.h"
#include "kind_view.h"
#include "power/power_kind_view.h"
#include "response/response_view.h"
#include "spectrum/spectrum_view.h"
#include "switching/switching_view.h"
#include "waveform/waveform_view.h"

namespace heron::app {
namespace {

std::vector<const KindView*>& registry() {
  static std::vector<const KindView*> all = {&response_view(), &iv_view(), &waveform_view(), &spectrum_view(), &power_kind_view(), &conversion_kind_view(), &switching_view()};
  return all;
}

}  // namespace

const std::vector<const KindView*>& kind_views() { return registry(); }

const KindView* find_kind_view(const study::Kind* kind) {
  const auto it = std::find_if(registry().begin(), registry().end(), [&](const KindView* v) { return &v->kind() == kind; });
  return it == registry().end() ? nullptr : *it;
}

void add_kind_view(const KindView& view) { registry().push_back(&view); }

}  // namespace heron::app
