#include "exporter.h"

#include "run/export.h"
#include "text.h"
#include "worker.h"

namespace heron::app {

Exporter::Exporter(Document* document, Messages* messages, QObject* parent)
    : QObject(parent), document_(document), messages_(messages) {}

void Exporter::begin(long long study, const QString& said, Work work) {
  if (writing()) return messages_->say("Files are being written already; Esc stops that.", true, study);
  messages_->say(said + " Esc stops.", false, study);
  worker_ = std::jthread([this, study, work = std::move(work)](std::stop_token stop) {
    int shown = 0;
    const auto ended = work(stop, [&](double share) {
      const int percent = int(100 * share);
      if (percent <= shown) return;
      shown = percent;
      hand_back(this, [this, share] { emit progressed(share); });
    });
    hand_back(this, [this, ended, study] {
      worker_.join();
      if (ended)
        messages_->say(*ended, false, study);
      else
        messages_->say(text(ended.error().message), ended.error().fault != Fault::stopped, study);
      emit finished();
    });
  });
  emit begun();
}

void Exporter::write(long long study_id, long long take_id, const QString& folder) {
  const auto* take = document_->take(study_id, take_id);
  if (!take) return messages_->say("There is no take to write.", true, study_id);
  begin(study_id, "Writing the take's files\u2026",
        [path = document_->path().toStdString(), study = *document_->study(study_id), take = *take,
         folder](std::stop_token stop, const auto& told) -> Result<QString> {
          auto store = dossier::Store::open(path);
          if (!store) return tl::unexpected(store.error());
          const auto files = run::export_take(*store, study, take, folder.toStdString(), stop, told);
          if (!files) return tl::unexpected(files.error());
          return QString("%1 files are written to %2.").arg(QString::number(*files), folder);
        });
}

void Exporter::write_part(long long study, std::vector<study::TracePtr> traces, double from, double to, const QString& path) {
  begin(study, "Writing the part in view\u2026",
        [traces = std::move(traces), from, to, path](std::stop_token stop, const auto& told) -> Result<QString> {
          const auto rows = exchange::write_part_csv(path.toStdString(), traces, from, to, stop, told);
          if (!rows) return tl::unexpected(rows.error());
          return QString("%1 rows are written to %2.").arg(QString::number(*rows), path);
        });
}

}  // namespace heron::app
