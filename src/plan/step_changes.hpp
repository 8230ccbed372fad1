/// What steps changed, for a page: which readings, and the stretch of time that each changed most.

#pragma once

#include <span>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/view/page.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

class StepChanges {
 public:
  /// Compares what a step was given with what it made. `step` is its place in the ledger, `did`
  /// what that says of it: of a step that filled and clipped nothing no readings are listed. Cost:
  /// a pass over each column that is not the same.
  void note(std::size_t step, const StepAccount& did, std::span<const Timeline> in,
            const Timeline& out);

  /// The first readings that were changed, at most 2,000, and how many there were.
  [[nodiscard]] const std::vector<PageChange>& changes() const { return changes_; }
  [[nodiscard]] std::int64_t all_changes() const { return all_changes_; }
  [[nodiscard]] const std::vector<PageStretch>& stretches() const { return stretches_; }

 private:
  std::vector<PageChange> changes_{};
  std::int64_t all_changes_ = 0;
  std::vector<PageStretch> stretches_{};
};

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
