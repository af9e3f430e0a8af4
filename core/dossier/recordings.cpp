#include "dossier/recordings.h"

#include <algorithm>
#include <cassert>
#include <cstring>
#include <mutex>

#include "dossier/seal.h"
#include "dossier/store_impl.h"

namespace heron::dossier {

using SQLite::Statement;

namespace {

constexpr std::size_t kChunk = std::size_t(1) << 18;  ///< samples that are written at once
constexpr std::size_t kNumbers = study::kStretch;     ///< numbers, so that who reads all of them reads each chunk once
constexpr std::size_t kBlock = 256;                   ///< samples that share one pair of extremes

/// Samples from `first` on out of the chunks of a record, whatever they are kept as.
template <class Held>
Result<void> read_chunks(SQLite::Database& db, long long record, std::size_t first, std::span<Held> out) {
  try {
    Statement q(db, "SELECT first, samples, sum, data FROM chunk WHERE record = ?1 AND first < ?3 AND first >= "
                    "(SELECT max(first) FROM chunk WHERE record = ?1 AND first <= ?2) ORDER BY first");
    q.bind(1, static_cast<std::int64_t>(record));
    q.bind(2, static_cast<std::int64_t>(first));
    q.bind(3, static_cast<std::int64_t>(first + out.size()));
    std::size_t done = 0;
    while (done < out.size() && q.executeStep()) {
      const auto start = std::size_t(q.getColumn(0).getInt64()), samples = std::size_t(q.getColumn(1).getInt64());
      const auto column = q.getColumn(3);
      const void* bytes = column.getBlob();
      if (start > first + done || !bytes || std::size_t(column.getBytes()) != samples * sizeof(Held) ||
          sum_of_bytes(bytes, samples * sizeof(Held)) != q.getColumn(2).getInt64())
        break;
      const auto skip = first + done - start;
      if (skip >= samples) break;
      const auto count = std::min(samples - skip, out.size() - done);
      std::memcpy(out.data() + done, static_cast<const Held*>(bytes) + skip, count * sizeof(Held));
      done += count;
    }
    if (done == out.size()) return {};
    return fail(Fault::input, "The recording is damaged in the file from sample {} on.", first + done);
  } catch (const SQLite::Exception& e) {
    return fail(Fault::input, "The recording cannot be read: {}.", e.what());
  }
}

class ChunkedNumbers : public study::StoredNumbers {
 public:
  ChunkedNumbers(std::shared_ptr<SQLite::Database> db, long long record, std::size_t size)
      : db_(std::move(db)), record_(record), size_(size) {}

  std::size_t size() const override { return size_; }
  Result<void> read(std::size_t first, std::span<double> out) const override {
    if (first > size_ || out.size() > size_ - first)
      return fail(Fault::usage, "The record has {} numbers; {} from {} on were asked for.", size_, out.size(), first);
    const std::scoped_lock lock(mutex_);
    return read_chunks(*db_, record_, first, out);
  }

 private:
  std::shared_ptr<SQLite::Database> db_;
  long long record_;
  std::size_t size_;
  mutable std::mutex mutex_;
};

/// Keeps numbers in chunks of the record they belong to.
Result<void> write_numbers(SQLite::Database& db, long long record, const study::StoredNumbers& numbers) {
  Statement chunk(db, "INSERT INTO chunk (record, first, samples, sum, data) VALUES (?, ?, ?, ?, ?)");
  std::vector<double> held;
  for (std::size_t first = 0; first < numbers.size(); first += kNumbers) {
    held.resize(std::min(kNumbers, numbers.size() - first));
    if (auto ok = numbers.read(first, held); !ok) return ok;
    const auto size = held.size() * sizeof(double);
    chunk.reset();
    chunk.bind(1, static_cast<std::int64_t>(record));
    chunk.bind(2, static_cast<std::int64_t>(first));
    chunk.bind(3, static_cast<std::int64_t>(held.size()));
    chunk.bind(4, sum_of_bytes(held.data(), size));
    chunk.bindNoCopy(5, static_cast<const void*>(held.data()), int(size));
    chunk.exec();
  }
  return {};
}

class ChunkedSamples : public study::Samples {
 public:
  ChunkedSamples(std::shared_ptr<SQLite::Database> db, long long record, std::size_t size)
      : db_(std::move(db)), record_(record), size_(size) {}

  std::size_t size() const override { return size_; }

  Result<void> read(std::size_t first, std::span<std::int16_t> out) const override {
    if (first > size_ || out.size() > size_ - first)
      return fail(Fault::usage, "The recording has {} samples; {} from {} on were asked for.", size_, out.size(), first);
    const std::scoped_lock lock(mutex_);
    return read_locked(first, out);
  }

  Result<std::vector<study::Extremes>> envelope(std::size_t first, std::size_t last,
                                                std::size_t columns) const override {
    last = std::min(last, size_);
    if (first >= last || columns == 0) return std::vector<study::Extremes>();
    const std::scoped_lock lock(mutex_);
    const std::size_t each = (last - first) / columns;
    std::vector<study::Extremes> out;
    out.reserve(columns);
    const auto start_of = [&](std::size_t column) {
      return first + std::size_t(double(last - first) * double(column) / double(columns));
    };
    if (each < 4 * kBlock) {
      std::vector<std::int16_t> counts(last - first);
      if (auto ok = read_locked(first, counts); !ok) return tl::unexpected(ok.error());
      for (std::size_t k = 0; k < columns; ++k) {
        const auto from = start_of(k), to = start_of(k + 1);
        if (to > from)
          out.push_back(study::extremes_of(std::span(counts).subspan(from - first, to - from), to - from).front());
      }
      return out;
    }
    if (auto ok = load_blocks(); !ok) return tl::unexpected(ok.error());
    const auto block_at = [&](std::size_t sample) {
      return std::size_t(std::lower_bound(starts_.begin(), starts_.end(), sample) - starts_.begin());
    };
    for (std::size_t k = 0; k < columns; ++k) {
      // The first takes its block whole, so that nothing at the ends is left out.
      auto from = block_at(start_of(k)), to = block_at(start_of(k + 1));
      if (k == 0 && (from == starts_.size() || starts_[from] > first)) --from;
      if (to <= from) continue;
      auto one = blocks_[from];
      for (std::size_t b = from + 1; b < to; ++b) {
        one.lowest = std::min(one.lowest, blocks_[b].lowest);
        one.highest = std::max(one.highest, blocks_[b].highest);
      }
      out.push_back(one);
    }
    return out;
  }

 private:
  Result<void> read_locked(std::size_t first, std::span<std::int16_t> out) const { return read_chunks(*db_, record_, first, out); }

  /// The extremes of all blocks, as they were kept, or out of the counts where they were not.
  Result<void> load_blocks() const {
    if (!starts_.empty()) return {};
    try {
      struct Stretch {
        std::size_t first, samples;
      };
      std::vector<Stretch> chunks;
      Statement q(*db_, "SELECT first, samples FROM chunk WHERE record = ? ORDER BY first");
      q.bind(1, static_cast<std::int64_t>(record_));
      while (q.executeStep())
        chunks.push_back({std::size_t(q.getColumn(0).getInt64()), std::size_t(q.getColumn(1).getInt64())});
      Statement kept(*db_, "SELECT data FROM envelope WHERE record = ? AND first = ?");
      std::vector<study::Extremes> blocks;
      std::vector<std::size_t> starts;
      for (const auto& chunk : chunks) {
        if (chunk.first >= size_) break;
        const auto wanted = (chunk.samples + kBlock - 1) / kBlock;
        kept.reset();
        kept.bind(1, static_cast<std::int64_t>(record_));
        kept.bind(2, static_cast<std::int64_t>(chunk.first));
        std::vector<study::Extremes> these(wanted);
        if (kept.executeStep() && std::size_t(kept.getColumn(0).getBytes()) == wanted * sizeof(study::Extremes)) {
          std::memcpy(these.data(), kept.getColumn(0).getBlob(), wanted * sizeof(study::Extremes));
        } else {
          std::vector<std::int16_t> counts(chunk.samples);
          if (auto ok = read_locked(chunk.first, counts); !ok) return ok;
          these = study::extremes_of(counts, kBlock);
        }
        for (std::size_t k = 0; k < wanted; ++k) starts.push_back(chunk.first + k * kBlock);
        blocks.insert(blocks.end(), these.begin(), these.end());
      }
      if (starts.empty()) return fail(Fault::input, "The recording has no samples in the file.");
      blocks_ = std::move(blocks);
      starts_ = std::move(starts);
      return {};
    } catch (const SQLite::Exception& e) {
      return fail(Fault::input, "The recording cannot be read: {}.", e.what());
    }
  }

  std::shared_ptr<SQLite::Database> db_;
  long long record_;
  std::size_t size_;
  mutable std::mutex mutex_;
  mutable std::vector<study::Extremes> blocks_;
  mutable std::vector<std::size_t> starts_;  ///< of the blocks, in samples
};

}  // namespace

std::shared_ptr<const study::Samples> recording_of(const std::shared_ptr<SQLite::Database>& db, long long record,
                                                   std::size_t samples) {
  return std::make_shared<ChunkedSamples>(db, record, samples);
}

std::shared_ptr<const study::StoredNumbers> numbers_of(const std::shared_ptr<SQLite::Database>& db, long long record, std::size_t samples) {
  return std::make_shared<ChunkedNumbers>(db, record, samples);
}

Result<std::vector<long long>> write_records(SQLite::Database& db, long long point, const study::Point& from, bool in_chunks) {
  std::vector<long long> rows;
  Statement r(db,
              "INSERT INTO record (point, pass, rate, channel, role, unit, pin, type, scale, range, lowest, highest, "
              "u_gain, u_delay, data, u_offset, samples) "
              "VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)");
  for (const auto& record : from.records) {
    for (std::size_t k = 0; k < record.channels.size(); ++k) {
      const auto& c = record.channels[k];
      const bool counted = in_chunks || c.counted();
      r.reset();
      r.clearBindings();
      r.bind(1, static_cast<std::int64_t>(point));
      r.bind(2, record.pass);
      r.bind(3, record.sample_rate);
      r.bind(4, int(k));
      r.bind(5, c.role);
      r.bind(6, c.unit);
      r.bind(7, c.pin);
      r.bind(8, counted ? "i16" : "f64");
      r.bind(9, c.scale);
      if (c.range) r.bind(10, *c.range);
      r.bind(11, c.lowest_count);
      r.bind(12, c.highest_count);
      r.bind(13, c.u_gain);
      r.bind(14, c.u_delay);
      r.bind(16, c.u_offset);
      if (in_chunks) {
        r.bind(15, static_cast<const void*>(""), 0);
        r.bind(17, 0);
      } else if (c.stored) {
        r.bind(15, static_cast<const void*>(""), 0);
        r.bind(17, static_cast<std::int64_t>(c.stored->size()));
      } else if (counted)
        r.bindNoCopy(15, static_cast<const void*>(c.counts.data()), int(c.counts.size() * sizeof(std::int16_t)));
      else
        r.bindNoCopy(15, static_cast<const void*>(c.numbers.data()), int(c.numbers.size() * sizeof(double)));
      r.exec();
      rows.push_back(db.getLastInsertRowid());
      if (!in_chunks && c.stored)
        if (auto ok = write_numbers(db, rows.back(), *c.stored); !ok) return tl::unexpected(ok.error());
    }
  }
  return rows;
}

void count_point(SQLite::Database& db, long long take) {
  Statement count(db, "UPDATE take SET points = points + 1 WHERE id = ?");
  count.bind(1, static_cast<std::int64_t>(take));
  count.exec();
}

void drop_chunks(SQLite::Database& db, long long take) {
  for (const char* table : {"chunk", "envelope"}) {
    Statement q(db, fmt::format("DELETE FROM {} WHERE record IN (SELECT record.id FROM record, point WHERE record.point "
                                "= point.id AND point.take = ?1 AND ?1 IN (SELECT id FROM take WHERE note = '' AND id "
                                "NOT IN (SELECT wake FROM study WHERE wake IS NOT NULL)))",
                                table));
    q.bind(1, static_cast<std::int64_t>(take));
    q.exec();
  }
}

Result<Recording> Store::begin_recording(long long take, const study::Point& head) {
  return guarded(path(), [&]() -> Result<Recording> {
    assert(head.records.size() == 1);
    auto& db = *impl_->db;
    SQLite::Transaction transaction(db);
    const auto setting = json_text(head.setting.json());
    Statement p(db, "INSERT INTO point (take, number, setting, sum) VALUES (?, ?, ?, ?)");
    p.bind(1, static_cast<std::int64_t>(take));
    p.bind(2, head.index);
    p.bind(3, setting);
    p.bind(4, sum_of(setting, head));
    p.exec();
    auto rows = write_records(db, db.getLastInsertRowid(), head, true);
    if (!rows) return tl::unexpected(rows.error());
    Recording out{.take = take, .records = std::move(*rows)};
    out.pending.resize(out.records.size());
    count_point(db, take);
    transaction.commit();
    return out;
  });
}

Result<void> Store::append(Recording& recording, const std::vector<std::span<const std::int16_t>>& counts) {
  assert(counts.size() == recording.records.size());
  if (counts.empty()) return {};
  for (std::size_t done = 0; done < counts.front().size();) {
    const auto some = std::min(kChunk - recording.pending.front().size(), counts.front().size() - done);
    for (std::size_t k = 0; k < counts.size(); ++k) {
      const auto piece = counts[k].subspan(done, some);
      recording.pending[k].insert(recording.pending[k].end(), piece.begin(), piece.end());
    }
    done += some;
    if (recording.pending.front().size() == kChunk)
      if (auto ok = flush(recording); !ok) return ok;
  }
  return {};
}

Result<void> Store::flush(Recording& recording) {
  if (recording.pending.empty() || recording.pending.front().empty()) return {};
  return guarded(path(), [&]() -> Result<void> {
    auto& db = *impl_->db;
    SQLite::Transaction transaction(db);
    Statement chunk(db, "INSERT INTO chunk (record, first, samples, sum, data) VALUES (?, ?, ?, ?, ?)");
    Statement envelope(db, "INSERT INTO envelope (record, first, data) VALUES (?, ?, ?)");
    Statement grown(db, "UPDATE record SET samples = ? WHERE id = ?");
    const auto first = static_cast<std::int64_t>(recording.stored);
    const auto samples = recording.pending.front().size();
    for (std::size_t k = 0; k < recording.records.size(); ++k) {
      const auto& counts = recording.pending[k];
      const auto size = counts.size() * sizeof(std::int16_t);
      const auto extremes = study::extremes_of(counts, kBlock);
      for (auto* q : {&chunk, &envelope, &grown}) q->reset();
      chunk.bind(1, static_cast<std::int64_t>(recording.records[k]));
      chunk.bind(2, first);
      chunk.bind(3, static_cast<std::int64_t>(samples));
      chunk.bind(4, sum_of_bytes(counts.data(), size));
      chunk.bindNoCopy(5, static_cast<const void*>(counts.data()), int(size));
      chunk.exec();
      envelope.bind(1, static_cast<std::int64_t>(recording.records[k]));
      envelope.bind(2, first);
      envelope.bindNoCopy(3, static_cast<const void*>(extremes.data()), int(extremes.size() * sizeof(study::Extremes)));
      envelope.exec();
      grown.bind(1, first + static_cast<std::int64_t>(samples));
      grown.bind(2, static_cast<std::int64_t>(recording.records[k]));
      grown.exec();
    }
    transaction.commit();
    recording.stored += samples;
    for (auto& counts : recording.pending) counts.clear();
    return {};
  });
}

}  // namespace heron::dossier
