#include "record_take_lens.h"

#include "app/text.h"
#include "render/theme.h"

namespace heron::app {

bool RecordTakeLens::handle_key(int key) {
  if (indices_.size() > 1 && (key == Qt::Key_BracketLeft || key == Qt::Key_BracketRight)) {
    step(key == Qt::Key_BracketLeft ? -1 : 1);
    return true;
  }
  return TakeLens::handle_key(key);
}

void RecordTakeLens::show_point(int index) {
  chosen_ = index;
  reload();
}

void RecordTakeLens::step(int by) {
  const auto it = std::find(indices_.begin(), indices_.end(), chosen_);
  const auto count = std::ptrdiff_t(indices_.size());
  if (count == 0) return;
  const auto at = it == indices_.end() ? count - 1 : it - indices_.begin();
  show_point(indices_[std::size_t((at + by + count) % count)]);
}

void RecordTakeLens::add_record_word() {
  bar_->add(
      "Record", "Which record of the take is shown; [ and ] step",
      [this] {
        const auto it = std::find(indices_.begin(), indices_.end(), chosen_);
        return indices_.size() > 1 && it != indices_.end() ? QString("record %1 of %2").arg(it - indices_.begin() + 1).arg(indices_.size()) : QString();
      },
      [this] { step(1); });
}

void RecordTakeLens::prepare(const TakeViewPtr& view) {
  ink_ = render::take_colour(view->take.number);
  working_.ask(
      [view] {
        Ready out;
        const auto* reduced = power_of(view.get());
        auto settings = study::power::settings_from_text(view->analysis.settings);
        if (!reduced || !settings) {
          out.trouble = "The take has no record.";
          return out;
        }
        out.settings = std::move(*settings);
        auto records = reduced->read_records(out.settings);
        if (records)
          out.records = std::move(*records);
        else
          out.trouble = text(records.error().message);
        if (out.trouble.isEmpty() && out.records.empty()) out.trouble = "No raw record was kept: nothing was caught by a watch.";
        return out;
      },
      [this](const Ready& ready) {
        if (!ready.trouble.isEmpty()) return say(ready.trouble);
        indices_.clear();
        for (const auto& one : ready.records) indices_.push_back(one->record->index);
        if (std::find(indices_.begin(), indices_.end(), chosen_) == indices_.end()) chosen_ = indices_.back();
        const auto at = std::size_t(std::find(indices_.begin(), indices_.end(), chosen_) - indices_.begin());
        settings_ = ready.settings;
        if (const auto why = lacks(*ready.records[at]); !why.isEmpty()) return say(why);
        record_ = ready.records[at];
        draw();
      });
}

}  // namespace heron::app
