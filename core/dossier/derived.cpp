#include "dossier/seal.h"
#include "dossier/store_impl.h"

namespace heron::dossier {

using SQLite::Statement;

Result<std::optional<Derived>> Store::derived(long long take) {
  if (impl_->version < 6) return std::optional<Derived>();
  return guarded(path(), [&]() -> Result<std::optional<Derived>> {
    Statement q(*impl_->db, "SELECT mark, sum, data FROM derived WHERE take = ?");
    q.bind(1, static_cast<std::int64_t>(take));
    if (!q.executeStep()) return std::optional<Derived>();
    Derived out{.mark = q.getColumn(0).getString(), .data = {}};
    const auto column = q.getColumn(2);
    const auto* bytes = static_cast<const std::uint8_t*>(column.getBlob());
    const auto size = std::size_t(column.getBytes());
    if (!bytes || sum_of_bytes(bytes, size) != q.getColumn(1).getInt64()) return std::optional<Derived>();
    out.data.assign(bytes, bytes + size);
    return std::optional(std::move(out));
  });
}

Result<void> Store::keep_derived(long long take, const Derived& derived) {
  if (read_only() || impl_->version < 6) return {};
  return guarded(path(), [&]() -> Result<void> {
    Statement q(*impl_->db, "INSERT OR REPLACE INTO derived (take, mark, sum, data) SELECT ?1, ?2, ?3, ?4 WHERE EXISTS "
                            "(SELECT 1 FROM take WHERE id = ?1)");
    q.bind(1, static_cast<std::int64_t>(take));
    q.bind(2, derived.mark);
    q.bind(3, sum_of_bytes(derived.data.data(), derived.data.size()));
    q.bindNoCopy(4, static_cast<const void*>(derived.data.data()), int(derived.data.size()));
    q.exec();
    return {};
  });
}

Result<void> Store::drop_derived() {
  return guarded(path(), [&]() -> Result<void> {
    impl_->db->exec("DELETE FROM derived");
    impl_->db->exec("DELETE FROM envelope");
    return {};
  });
}

}  // namespace heron::dossier
