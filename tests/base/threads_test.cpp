// How many threads work at a thing.

#include <tbb/task_arena.h>

#include <zerobeat/base/threads.hpp>

#include "base/parallel.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

#ifndef ZEROBEAT_STAND_IN_FOR_TBB

TEST_CASE("work is done by as many threads as were asked for", "[threads]") {
  for (const int threads : {1, 2, 3}) {
    int most = 0;
    zerobeat::with_threads(threads, [&] { most = tbb::this_task_arena::max_concurrency(); });
    CHECK(most == threads);
  }
  int inner = 0, outer = 0;
  zerobeat::with_threads(2, [&] {
    zerobeat::with_threads(1, [&] { inner = tbb::this_task_arena::max_concurrency(); });
    outer = tbb::this_task_arena::max_concurrency();
  });
  CHECK(inner == 1);
  CHECK(outer == 2);
  CHECK(usage([] { zerobeat::with_threads(0, [] {}); }) == "‹threads› 0: from 1 to 1024");
  CHECK_THROWS_WITH(zerobeat::with_threads(2, [] { throw std::runtime_error("thrown on"); }),
                    "thrown on");
}

TEST_CASE("loops in a group that was cancelled are left at once", "[threads]") {
  std::atomic<int> turns = 0;
  tbb::task_group_context context;
  tbb::task_group group(context);
  bool left = false;
  group.run_and_wait([&] {
    try {
      detail::parallel_for(0, 100'000, [&](int) {
        if (++turns == 10) context.cancel_group_execution();
      });
    } catch (const Stopped&) {
      left = true;
    }
  });
  CHECK(left);
  CHECK(turns < 100'000);
  // Outside of such a group nothing is stopped.
  int all = 0;
  zerobeat::with_threads(1, [&] { detail::parallel_for(0, 10, [&](int) { ++all; }); });
  CHECK(all == 10);
  CHECK_NOTHROW(detail::check_stopped());
}

#endif

}  // namespace zerobeat::testing
