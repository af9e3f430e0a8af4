#include "dossier/schema.h"
#include "dossier/seal.h"
#include "dossier/store.h"
#include "dossier/store_impl.h"

namespace heron::dossier {

using SQLite::Statement;

Result<std::vector<judge::TypedFigure>> Store::typed_figures(long long study) {
  return guarded(path(), [&]() -> Result<std::vector<judge::TypedFigure>> {
    std::vector<judge::TypedFigure> out;
    // A file that may not be written to keeps its older form.
    if (impl_->version < kTypedSince) return out;
    Statement q(*impl_->db,
                "SELECT id, unit, figure, label, value, symbol, u, source FROM typed WHERE study = ? ORDER BY id");
    q.bind(1, static_cast<int64_t>(study));
    while (q.executeStep()) {
      judge::TypedFigure one;
      one.id = q.getColumn(0).getInt64();
      one.unit = q.getColumn(1).getInt64();
      one.figure.key = text_of(q.getColumn(2));
      one.figure.label = text_of(q.getColumn(3));
      one.figure.value = q.getColumn(4).getDouble();
      one.figure.unit = text_of(q.getColumn(5));
      one.source = text_of(q.getColumn(7));
      if (!q.getColumn(6).isNull()) one.figure.u = q.getColumn(6).getDouble();
      out.push_back(std::move(one));
    }
    return out;
  });
}

Result<void> Store::type_figure(long long study, const judge::TypedFigure& typed) {
  return guarded(path(), [&]() -> Result<void> {
    SQLite::Transaction transaction(*impl_->db);
    Statement q(*impl_->db,
                "INSERT OR REPLACE INTO typed (study, unit, figure, label, value, symbol, u, source) "
                "VALUES (?, ?, ?, ?, ?, ?, ?, ?)");
    q.bind(1, static_cast<int64_t>(study));
    q.bind(2, static_cast<int64_t>(typed.unit));
    q.bind(3, typed.figure.key);
    q.bind(4, typed.figure.label);
    q.bind(5, typed.figure.value);
    q.bind(6, typed.figure.unit);
    if (typed.figure.u) q.bind(7, *typed.figure.u);
    q.bind(8, typed.source);
    q.exec();
    reseal(*impl_->db, "typed");
    transaction.commit();
    return {};
  });
}

Result<void> Store::remove_typed_figure(long long study, const std::string& key, long long unit) {
  return guarded(path(), [&]() -> Result<void> {
    SQLite::Transaction transaction(*impl_->db);
    Statement q(*impl_->db, "DELETE FROM typed WHERE study = ? AND figure = ? AND unit = ?");
    q.bind(1, static_cast<int64_t>(study));
    q.bind(2, key);
    q.bind(3, static_cast<int64_t>(unit));
    q.exec();
    reseal(*impl_->db, "typed");
    transaction.commit();
    return {};
  });
}

}  // namespace heron::dossier
