#include "exporter.h"

#include "run/export.h"
#include "text.h"
#include "worker.h"

namespace heron::app {

Exporter::Exporter(Document* document, Messages* messages, QObject* parent)
    : QObject(parent), document_(document), messages_(messages) {}

void Exporter::write(long long study_id, long long take_id, const QString& folder) {
  const auto* take = document_->take(study_id, take_id);
  if (writing() || !take)
    return messages_->say(writing() ? "Files are being written already; Esc stops that." : "There is no take to write.",
                          true, study_id);
  messages_->say("Writing the take's files\u2026 Esc stops.", false, study_id);
  worker_ = std::jthread([this, path = document_->path().toStdString(), study = *document_->study(study_id),
                          take = *take, folder](std::stop_token stop) {
    auto store = dossier::Store::open(path);
    const auto files = store ? run::export_take(*store, study, take, folder.toStdString(), stop)
                             : Result<int>(tl::unexpected(store.error()));
    hand_back(this, [this, files, folder, id = study.id] {
      worker_.join();
      if (files)
        messages_->say(QString("%1 files are written to %2.").arg(*files).arg(folder), false, id);
      else
        messages_->say(text(files.error().message), files.error().fault != Fault::stopped, id);
      emit finished();
    });
  });
}

}  // namespace heron::app
