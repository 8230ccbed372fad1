#include <tbb/global_control.h>
#include <tbb/task_arena.h>

#include <zerobeat/base/error.hpp>
#include <zerobeat/base/threads.hpp>

namespace zerobeat::inline v1 {

void with_threads(int threads, const std::function<void()>& work) {
  constexpr int most = 1024;
  if (threads < 1 || threads > most) fail_usage("‹threads› {}: from 1 to {}", threads, most);
  const tbb::global_control limit(tbb::global_control::max_allowed_parallelism,
                                  static_cast<std::size_t>(threads));
  tbb::task_arena arena(threads);
  arena.execute(work);
}

}  // namespace zerobeat
