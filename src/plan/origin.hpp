/// Where a run's results came from: what it read, with digests that are made beside the reading.

#pragma once

#include <future>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/io/digest.hpp>
#include <zerobeat/plan/plan.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// The files that a run of a plan reads: its own, those of its sources, and those that steps name.
/// What is no regular file is named alone.
std::vector<UsedFile> files_read(const Plan& plan);

/// Digests of them, on a thread of its own. Waits for it at the end.
class InputDigests {
 public:
  explicit InputDigests(const Plan& plan);
  /// All of them, once they are there.
  const std::vector<UsedFile>& get() const { return files_.get(); }

 private:
  std::shared_future<std::vector<UsedFile>> files_;
};

/// Files of rejects that stand where the plan says.
std::vector<UsedFile> rejects_written(const Plan& plan);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
