#include "exchange/long_table.h"

#include <fast_float/fast_float.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <filesystem>
#include <fstream>

#include "base/utf8.h"
#include "exchange/scratch.h"

namespace heron::exchange {
namespace {

constexpr std::size_t kHead = 256 * 1024;           ///< bytes that tell what the columns are
constexpr std::size_t kPiece = std::size_t(4) << 20;  ///< bytes at a time
constexpr std::size_t kHeld = std::size_t(1) << 21;   ///< numbers of a channel that memory is no matter of
constexpr std::size_t kCareful = 1'000'000'000;       ///< bytes that the careful reader holds
constexpr std::size_t kMostRows = 2'000'000'000;      ///< a line's number is no larger

bool space_or_tab(char c) { return c == ' ' || c == '\t'; }

/// Rows of numbers between separators, as many cells as columns are wanted of.
class Rows {
 public:
  Rows(const Table& table, const std::vector<PickedColumn>& columns, std::vector<std::shared_ptr<Scratch>> room)
      : columns_(columns), separator_(table.separator), numbers_(std::move(room)) {
    channel_of_.assign(table.columns.size(), -1);
    for (std::size_t k = 0; k < columns.size(); ++k) channel_of_[columns[k].at] = int(k);
    for (std::size_t k = 0; k < table.columns.size(); ++k)
      if (channel_of_[k] >= 0) last_ = k;
    cells_.resize(columns.size());
  }

  /// One line without its end. False where it is not plain.
  /// @return Fault::input where the disk is full
  Result<bool> add(const char* at, const char* end, int line) {
    for (std::size_t column = 0; column <= last_; ++column) {
      while (at < end && space_or_tab(*at) && *at != separator_) ++at;
      if (const int channel = channel_of_[column]; channel >= 0) {
        if (at < end && *at == '+') ++at;
        double value = 0;
        const auto read = fast_float::from_chars(at, end, value);
        if (read.ec != std::errc()) return false;
        at = read.ptr;
        value = columns_[std::size_t(channel)].number(value);
        if (!std::isfinite(value)) return false;
        cells_[std::size_t(channel)] = value;
        while (at < end && space_or_tab(*at) && *at != separator_) ++at;
        if (at < end && *at != separator_) return false;
      } else {
        while (at < end && *at != separator_ && *at != '"') ++at;
        if (at < end && *at == '"') return false;
      }
      if (column == last_) break;
      if (at == end) return false;
      ++at;
    }
    for (std::size_t k = 0; k < cells_.size(); ++k)
      if (auto ok = numbers_[k]->add(cells_[k]); !ok) return tl::unexpected(ok.error());
    lines_.add(line);
    return true;
  }
  std::size_t count() const { return numbers_.front()->size(); }

  Result<study::Record> record() {
    study::Record out;
    out.lines = std::move(lines_);
    for (std::size_t k = 0; k < columns_.size(); ++k) {
      if (auto ok = numbers_[k]->flush(); !ok) return tl::unexpected(ok.error());
      study::Channel channel{.role = columns_[k].role, .unit = columns_[k].unit};
      if (numbers_[k]->size() > kHeld) {
        channel.stored = numbers_[k];
      } else {
        channel.numbers.resize(numbers_[k]->size());
        if (auto ok = numbers_[k]->read(0, channel.numbers); !ok) return tl::unexpected(ok.error());
      }
      out.channels.push_back(std::move(channel));
    }
    return out;
  }

 private:
  const std::vector<PickedColumn>& columns_;
  char separator_;
  std::vector<int> channel_of_;  ///< of each column; -1: not wanted
  std::size_t last_ = 0;
  std::vector<double> cells_;
  std::vector<std::shared_ptr<Scratch>> numbers_;
  study::RowLines lines_;
};

/// Empty lines and notes hold nothing.
bool says_nothing(const char* at, const char* end) {
  while (at < end && space_or_tab(*at)) ++at;
  return at == end || *at == '#' || *at == '%';
}

}  // namespace

Result<std::optional<LongTable>> read_long_table(const std::string& path, const study::Kind& kind, const ColumnChoice& choice,
                                                 const ReadingProgress& progress) {
  std::error_code fault;
  const auto size = std::filesystem::file_size(path, fault);
  if (fault || size < kLongTable || !kind.quantities_by_name) return std::nullopt;
  const auto name = as_utf8(path);
  auto head = read_head(path, kHead);
  if (!head) return tl::unexpected(head.error());
  // Two bytes a character, or marks that the careful reader takes away.
  if (head->text.find('\0') != std::string::npos || static_cast<unsigned char>(head->text.front()) >= 0xef) return std::nullopt;
  auto table = read_table(std::move(head->text), name);
  if (!table) return tl::unexpected(table.error());
  if (table->decimal_comma || table->separator == ' ') return std::nullopt;
  const auto columns = picked_columns(*table, kind, choice);
  if (!columns) return tl::unexpected(columns.error());

  std::vector<std::shared_ptr<Scratch>> room;
  for (std::size_t k = 0; k < columns->size(); ++k) {
    auto one = Scratch::make();
    if (!one) return tl::unexpected(one.error());
    room.push_back(std::move(*one));
  }
  Rows rows(*table, *columns, std::move(room));
  const int first_line = table->rows.front().line;
  std::ifstream in(path, std::ios::binary);
  std::string piece;
  std::size_t kept = 0, done = 0;  // bytes of a line that is not whole yet; bytes of the file
  std::size_t line = 0;
  while (in) {
    if (progress.stop.stop_requested()) return fail(Fault::stopped, "Stopped.");
    piece.resize(kept + kPiece);
    in.read(piece.data() + kept, std::streamsize(kPiece));
    const auto came = std::size_t(in.gcount());
    done += came;
    const bool over = came < kPiece;
    const char *at = piece.data(), *const end = at + kept + came;
    while (at < end) {
      const auto* newline = static_cast<const char*>(std::memchr(at, '\n', std::size_t(end - at)));
      if (!newline && !over) break;
      const char* to = newline ? newline : end;
      const char* text_end = to > at && to[-1] == '\r' ? to - 1 : to;
      ++line;
      const auto plain = line < std::size_t(first_line) || says_nothing(at, text_end) ? Result<bool>(true) : rows.add(at, text_end, int(line));
      if (!plain) return tl::unexpected(plain.error());
      if (!*plain) {
        if (size <= kCareful) return std::nullopt;
        return fail(Fault::input, "{}:{}: the row is not one of plain numbers like those before it: \"{}\".", name, line,
                    as_utf8(std::string(at, std::min<std::size_t>(60, std::size_t(text_end - at)))));
      }
      if (rows.count() > kMostRows)
        return fail(Fault::input, "{}:{}: more than {} million rows cannot be one take; cut the file in pieces.", name, line, kMostRows / 1'000'000);
      at = newline ? newline + 1 : end;
    }
    kept = std::size_t(end - at);
    // No line of numbers is that long.
    if (kept > kPiece) {
      if (size <= kCareful) return std::nullopt;
      return fail(Fault::input, "{}:{}: the line has no end.", name, line);
    }
    std::memmove(piece.data(), at, kept);
    if (progress.done) progress.done(double(done) / double(size));
  }
  auto record = rows.record();
  if (!record) return tl::unexpected(record.error());
  return LongTable{std::move(*record), table->notes};
}

}  // namespace heron::exchange
