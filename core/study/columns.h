#pragma once
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace heron::study {

using SettingsText = std::map<std::string, std::string>;

/// A curve of a take, ready to be held against masks and drawn: one x with named columns.
struct Columns {
  std::string x_name, x_unit;
  bool logarithmic = true;  ///< masks are straight over lg x; else over x
  std::vector<double> x;
  struct Column {
    std::string name, unit;
    std::vector<double> y;
    std::vector<double> u;            ///< standard uncertainty; empty where unknown
    std::optional<double> step = {};  ///< of a family: what this curve was read at
    std::vector<double> x = {};       ///< where this column has places of its own; empty: the common ones
    std::map<int, std::vector<double>> shared = {};  ///< by source: what of u all points share (shared_error.h), signed
  };
  std::vector<Column> columns;
  std::vector<double> x_u = {};                       ///< standard uncertainty of x; empty where unknown
  std::map<int, std::vector<double>> x_shared = {};   ///< of it what places share, by source
  std::vector<char> undecided = {};  ///< places whose values are not trusted: they decide no mask; empty: none

  const Column* find(std::string_view name) const;
  /// What a column is a curve of: "current" of "current at 2 V"; its own name where it is of no family.
  static std::string curve_of(const Column& column);
  /// The column of that name, or all that are "NAME at ...": the curves of a family.
  std::vector<const Column*> all(std::string_view name) const;
  const std::vector<double>& x_of(const Column& column) const { return column.x.empty() ? x : column.x; }
};

/// Columns that are put together when somebody first looks at them: most of what is read of a take wants no curve, and one of
/// a million lines takes its time. Copies share what one of them has put together; any thread may look.
class LazyColumns {
 public:
  LazyColumns() : LazyColumns(Columns()) {}
  LazyColumns(Columns ready);
  explicit LazyColumns(std::function<Columns()> make);

  const Columns& operator*() const;
  const Columns* operator->() const { return &**this; }

 private:
  struct Shared;
  std::shared_ptr<Shared> shared_;
};

/// At most so many places of a column's, its highest and lowest among them, for small pictures.
Columns thinned(Columns columns, std::size_t most);

}  // namespace heron::study
