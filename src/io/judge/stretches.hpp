/// Reading stretch by stretch: records are handed on while a source is read, and let go of, so that
/// no column of the whole is ever held.

#pragma once

#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/judge/records.hpp>

#include "io/judge/assembly.hpp"
#include "io/source/read_task.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Hands the rows of an assembly on, many at a time.
class Stretching {
 public:
  /// `head` has the records' names, and columns of no rows.
  Stretching(Records head, std::size_t stretch_rows, TakeRecords take);

  /// Hands on when enough has come together since the last time.
  void look_at(Assembly& assembly);
  /// Hands on all that is left.
  void finish(Assembly& assembly);
  /// Whether nothing more is to be read: it did not go this way.
  [[nodiscard]] bool given_up() const { return given_up_; }
  /// Whether anything was handed on as whole numbers that were not.
  [[nodiscard]] bool took_for_whole(const Assembly& assembly) const;

 private:
  void hand_on(Assembly& assembly, bool is_last);

  Records head_;
  TakeRecords take_;
  std::size_t least_rows_;
  std::size_t wanted_rows_;
  std::vector<bool> first_fractions_{};
  bool handed_on_ = false, given_up_ = false;
};

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
