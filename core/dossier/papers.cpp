#include <array>

#include "dossier/schema.h"
#include "dossier/seal.h"
#include "dossier/store.h"
#include "dossier/store_impl.h"

/// What people write beside the measurements: notes, the row of takes that is being made, the report.
namespace heron::dossier {

using SQLite::Statement;

namespace {

constexpr std::array<std::pair<QueueState, std::string_view>, 4> kQueueStates = {{{QueueState::waiting, "waiting"},
                                                                                  {QueueState::running, "running"},
                                                                                  {QueueState::done, "done"},
                                                                                  {QueueState::failed, "failed"}}};

std::string queue_state_text(QueueState state) {
  for (const auto& [one, text] : kQueueStates)
    if (one == state) return std::string(text);
  return {};
}

QueueState queue_state_from(const std::string& text) {
  for (const auto& [state, one] : kQueueStates)
    if (one == text) return state;
  return QueueState::failed;
}

}  // namespace

Result<void> Store::set_unit_words(long long unit, const std::string& serial, const std::string& note) {
  return without_row(edit(*impl_, "unit", "UPDATE unit SET serial = ?, note = ? WHERE id = ?", as_utf8(serial), as_utf8(note), unit));
}

Result<void> Store::set_look(long long study, const nlohmann::json& look) {
  return without_row(edit(*impl_, "study", "UPDATE study SET look = ? WHERE id = ?", json_text(look), study));
}

Result<void> Store::set_study_note(long long study, const std::string& note) {
  return without_row(edit(*impl_, "study", "UPDATE study SET note = ? WHERE id = ?", as_utf8(note), study));
}

Result<std::string> Store::device_note() {
  return guarded(path(), [&]() -> Result<std::string> {
    if (impl_->version < kNotedSince) return std::string();
    return as_utf8(impl_->db->execAndGet("SELECT note FROM device WHERE id = 1").getString());
  });
}

Result<void> Store::set_device_note(const std::string& note) {
  return without_row(edit(*impl_, "device", "UPDATE device SET note = ? WHERE id = 1", as_utf8(note)));
}

Result<std::vector<QueueItem>> Store::queue() {
  return guarded(path(), [&]() -> Result<std::vector<QueueItem>> {
    std::vector<QueueItem> out;
    if (impl_->version < kNotedSince) return out;
    Statement q(*impl_->db, "SELECT id, unit, study, state, take, said FROM queue ORDER BY id");
    while (q.executeStep()) {
      QueueItem item{.id = q.getColumn(0).getInt64(),
                     .unit = q.getColumn(1).getInt64(),
                     .study = q.getColumn(2).getInt64(),
                     .state = queue_state_from(q.getColumn(3).getString()),
                     .said = text_of(q.getColumn(5))};
      if (!q.getColumn(4).isNull()) item.take = q.getColumn(4).getInt64();
      out.push_back(std::move(item));
    }
    return out;
  });
}

Result<void> Store::set_queue(const std::vector<QueueItem>& items) {
  return guarded(path(), [&]() -> Result<void> {
    SQLite::Transaction transaction(*impl_->db);
    impl_->db->exec("DELETE FROM queue");
    for (const auto& item : items)
      execute(*impl_->db, "INSERT INTO queue (unit, study, state, take, said) VALUES (?, ?, ?, ?, ?)", item.unit, item.study, queue_state_text(item.state), item.take, as_utf8(item.said));
    transaction.commit();
    return {};
  });
}

Result<void> Store::set_queue_item(const QueueItem& item) {
  return guarded(path(), [&]() -> Result<void> {
    execute(*impl_->db, "UPDATE queue SET state = ?, take = ?, said = ? WHERE id = ?", queue_state_text(item.state), item.take, as_utf8(item.said), item.id);
    return {};
  });
}

Result<std::optional<nlohmann::json>> Store::report() {
  return guarded(path(), [&]() -> Result<std::optional<nlohmann::json>> {
    if (impl_->version < kNotedSince) return std::nullopt;
    Statement q(*impl_->db, "SELECT content FROM report WHERE id = 1");
    if (!q.executeStep()) return std::nullopt;
    return nlohmann::json::parse(text_of(q.getColumn(0)));
  });
}

Result<void> Store::set_report(const nlohmann::json& content) {
  return without_row(edit(*impl_, "report", "INSERT OR REPLACE INTO report (id, content) VALUES (1, ?)", json_text(content)));
}

Result<std::vector<ReportPicture>> Store::pictures() {
  return guarded(path(), [&]() -> Result<std::vector<ReportPicture>> {
    std::vector<ReportPicture> out;
    if (impl_->version < kNotedSince) return out;
    Statement q(*impl_->db, "SELECT id, study, take, caption, svg FROM picture ORDER BY id");
    while (q.executeStep()) {
      ReportPicture one{.id = q.getColumn(0).getInt64(), .study = q.getColumn(1).getInt64(), .caption = text_of(q.getColumn(3)), .svg = text_of(q.getColumn(4))};
      if (!q.getColumn(2).isNull()) one.take = q.getColumn(2).getInt64();
      out.push_back(std::move(one));
    }
    return out;
  });
}

Result<long long> Store::add_picture(const ReportPicture& picture) {
  return edit(*impl_, "picture", "INSERT INTO picture (study, take, caption, svg) VALUES (?, ?, ?, ?)", picture.study, picture.take, as_utf8(picture.caption), as_utf8(picture.svg));
}

Result<void> Store::remove_picture(long long picture) {
  return without_row(edit(*impl_, "picture", "DELETE FROM picture WHERE id = ?", picture));
}

}  // namespace heron::dossier
