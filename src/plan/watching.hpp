/// How far a run is, and whether it is to stop.

#pragma once

#include <chrono>
#include <functional>
#include <string>
#include <zerobeat/base/export.hpp>
#include <zerobeat/plan/plan.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Counts the pieces of a run's work, tells the program, and throws Stopped when it asked to stop.
class Watching {
 public:
  /// A run of so many pieces.
  Watching(const RunOptions& options, std::size_t pieces) : options_(options), pieces_(pieces) {}

  /// A piece begins: a step of a series.
  void begin(const std::string& series, std::string_view step);
  /// So much of it is done. Told on at most fifty times a second.
  void done(std::size_t part, std::size_t of);
  /// It is finished.
  void finish();
  /// Throws Stopped when that was asked for.
  void check() const;

 private:
  void tell(double share);

  const RunOptions& options_;
  std::size_t pieces_;
  std::size_t finished_ = 0;
  Progress now_{};
  std::chrono::steady_clock::time_point told_{};
};

/// Calls `work` on so many threads as the options say, and ends it when they ask to stop. Throws
/// what it throws, or Stopped.
void run_watched(const RunOptions& options, const std::function<void()>& work);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
