/// The column of a take of windows, written part by part.

#pragma once

#include <cstdint>
#include <string>
#include <vector>
#include <zerobeat/base/buffer.hpp>
#include <zerobeat/base/export.hpp>
#include <zerobeat/table/timeline.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// What a take writes for each row: a number, a whole number, or the row of a reading. Parts are
/// written side by side.
class WindowColumn {
 public:
  enum class Kind { numbers, integers, rows };

  WindowColumn(Kind kind, std::size_t rows, std::size_t parts);

  Kind kind() const { return kind_; }
  double* numbers(std::size_t row) { return numbers_.data() + row; }
  std::int64_t* integers(std::size_t row) { return integers_.data() + row; }

  /// Marks the `count` rows from `row` on, which are part `p`: `there(i)` says which have a value;
  /// what is no number has none.
  template <typename There>
  void mark(std::size_t p, std::size_t row, std::size_t count, There&& there) {
    bool all = true;
    for (std::size_t i = 0; i < count; ++i) all &= there(i);
    spans_[p] = {row, count, all};
    if (all) return;
    for (std::size_t i = 0; i < count; ++i) there_[row + i] = there(i);
  }

  /// Marks a whole part, all of whose rows have a value.
  void mark_all(std::size_t p) { spans_[p] = {0, 0, true}; }

  /// The column: of rows those of `picked`, of their own type. This one is spent.
  Column take(const Column* picked);

 private:
  struct Span {
    std::size_t row = 0, count = 0;
    bool all = true;
  };
  Validity validity();

  Kind kind_;
  std::size_t rows_;
  Buffer<double> numbers_{};
  Buffer<std::int64_t> integers_{};
  Buffer<std::uint8_t> there_;
  std::vector<Span> spans_;
};

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
