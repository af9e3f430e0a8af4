#define XXH_INLINE_ALL
#include "dossier/seal.h"

#include <fmt/format.h>
#include <xxhash.h>

#include <cstring>
#include <memory>

#include "dossier/schema.h"

namespace heron::dossier {
namespace {

class Sum {
 public:
  Sum() : state_(XXH3_createState(), &XXH3_freeState) { XXH3_64bits_reset(state_.get()); }
  void bytes(const void* data, std::size_t size) {
    number(std::int64_t(size));
    if (size > 0) XXH3_64bits_update(state_.get(), data, size);
  }
  void text(const std::string& t) { bytes(t.data(), t.size()); }
  template <class T>
  void number(T value) {
    XXH3_64bits_update(state_.get(), &value, sizeof value);
  }
  std::int64_t value() const { return std::int64_t(XXH3_64bits_digest(state_.get())); }

 private:
  std::unique_ptr<XXH3_state_t, XXH_errorcode (*)(XXH3_state_t*)> state_;
};

/// What changes while a take runs is not sealed: a reader may come between.
std::string columns_of(const std::string& table, int form) {
  if (table != "take") return "*";
  return std::string("id, study, number, unit, started, origin, setup, planned, note, purpose, aside") + (form < kLatchedSince ? "" : ", latched");
}

std::int64_t sum_of_table(SQLite::Database& db, const std::string& table, int form) {
  Sum sum;
  SQLite::Statement q(db, fmt::format("SELECT {} FROM {} ORDER BY rowid", columns_of(table, form), table));
  while (q.executeStep())
    for (int c = 0; c < q.getColumnCount(); ++c) {
      const auto column = q.getColumn(c);
      sum.number(char(column.getType()));
      if (column.isInteger())
        sum.number(column.getInt64());
      else if (column.isFloat())
        sum.number(column.getDouble());
      else
        sum.bytes(column.getBlob(), std::size_t(column.getBytes()));
    }
  return sum.value();
}

}  // namespace

void reseal(SQLite::Database& db, const std::string& table, int form) {
  SQLite::Statement q(db, "INSERT OR REPLACE INTO seal (name, sum) VALUES (?, ?)");
  q.bind(1, table);
  q.bind(2, sum_of_table(db, table, form));
  q.exec();
}

std::vector<std::string> broken_seals(SQLite::Database& db, int form) {
  std::vector<std::string> out;
  for (const auto& sealed : kSealed) {
    const auto* table = sealed.table;
    if (form < sealed.since) continue;
    try {
      SQLite::Statement q(db, "SELECT sum FROM seal WHERE name = ?");
      q.bind(1, table);
      if (!q.executeStep() || q.getColumn(0).getInt64() != sum_of_table(db, table, form)) out.emplace_back(table);
    } catch (const SQLite::Exception&) {
      out.emplace_back(table);
    }
  }
  return out;
}

std::int64_t sum_of(const std::string& setting, const study::Point& point) {
  Sum sum;
  sum.number(point.index);
  sum.text(setting);
  for (const auto& record : point.records) {
    sum.number(record.pass);
    sum.number(record.sample_rate);
    for (const auto& c : record.channels) {
      for (const auto* text : {&c.role, &c.unit, &c.pin}) sum.text(*text);
      sum.number(c.scale);
      sum.number(char(c.range.has_value()));
      sum.number(c.range.value_or(0));
      sum.number(c.lowest_count);
      sum.number(c.highest_count);
      for (const double u : {c.u_gain, c.u_delay, c.u_offset}) sum.number(u);
      sum.bytes(c.counts.data(), c.counts.size() * sizeof(std::int16_t));
      sum.bytes(c.numbers.data(), c.numbers.size() * sizeof(double));
    }
  }
  return sum.value();
}

std::int64_t sum_of_bytes(const void* data, std::size_t size) { return std::int64_t(XXH3_64bits(data, size)); }

}  // namespace heron::dossier
