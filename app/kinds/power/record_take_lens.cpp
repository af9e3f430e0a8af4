#include "record_take_lens.h"

#include "app/text.h"

namespace heron::app {

RecordTakeLens::RecordTakeLens(Desk* desk, QWidget* parent, const char* object, const QString& accessible)
    : OneOfTakeLens(
          desk, parent, object, accessible,
          [](const TakeView& view) {
            Loaded out;
            const auto* reduced = power_of(&view);
            auto settings = study::power::settings_from_text(view.analysis.settings);
            if (!reduced || !settings) {
              out.trouble = "The take has no record.";
              return out;
            }
            out.settings = std::move(*settings);
            auto records = reduced->read_records(out.settings);
            if (records)
              out.items = std::move(*records);
            else
              out.trouble = text(records.error().message);
            for (const auto& one : out.items) out.points.push_back(one->record->index);
            if (out.trouble.isEmpty() && out.items.empty()) out.trouble = "No raw record was kept: nothing was caught by a watch.";
            return out;
          },
          "record") {}

}  // namespace heron::app
