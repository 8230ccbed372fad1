/// Threads: how many work at a thing, and how it is stopped.

#pragma once

#include <functional>
#include <stdexcept>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// Calls `work`, in which no more than so many threads work side by side, this one among them. What
/// comes of it does not depend on the number. What `work` throws is thrown on.
/// Throws Error of kind usage unless the number is from 1 to 1024.
/// Calls may be nested, and made by several threads at the same time, each with its number; of
/// those at the same time the least limits how many threads there are altogether.
void with_threads(int threads, const std::function<void()>& work);

/// Thrown out of a run that was asked to stop. Nothing was written.
class Stopped : public std::runtime_error {
 public:
  Stopped() : std::runtime_error("stopped, as was asked") {}
};

}  // namespace v1
}  // namespace zerobeat
