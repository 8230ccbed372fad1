#include "plan/watching.hpp"

#include <tbb/task_group.h>

#include <algorithm>
#include <exception>
#include <optional>

namespace zerobeat::inline v1::detail {

void Watching::begin(const std::string& series, std::string_view step) {
  check();
  now_.series = series;
  now_.step = step;
  tell(0);
}

void Watching::done(std::size_t part, std::size_t of) {
  check();
  if (!options_.progress || of == 0) return;
  constexpr auto pause = std::chrono::milliseconds(20);
  const auto now = std::chrono::steady_clock::now();
  if (now - told_ < pause) return;
  tell(std::min(1.0, static_cast<double>(part) / static_cast<double>(of)));
}

void Watching::finish() {
  ++finished_;
  tell(0);
}

void Watching::check() const {
  if (options_.stop.stop_requested()) throw Stopped();
}

void Watching::tell(double share) {
  if (!options_.progress) return;
  told_ = std::chrono::steady_clock::now();
  const double all = (static_cast<double>(finished_) + share) / static_cast<double>(pieces_);
  now_.share = std::max(now_.share, std::min(1.0, all));
  options_.progress(now_);
}

namespace {

/// Calls work in a group of tasks of its own, which a stop cancels: loops that run side by side
/// leave then.
void run_stoppable(const std::stop_token& stop, const std::function<void()>& work) {
  if (!stop.stop_possible()) return work();
  tbb::task_group_context context;
  const std::stop_callback on_stop(stop, [&] { context.cancel_group_execution(); });
  tbb::task_group group(context);
  std::exception_ptr failed;
  bool finished = false;
  group.run_and_wait([&] {
    try {
      work();
      finished = true;
    } catch (...) {
      failed = std::current_exception();
    }
  });
  if (!finished && stop.stop_requested()) throw Stopped();
  if (failed) std::rethrow_exception(failed);
}

}  // namespace

void run_watched(const RunOptions& options, const std::function<void()>& work) {
  if (options.threads == 0) return run_stoppable(options.stop, work);
  with_threads(options.threads, [&] { run_stoppable(options.stop, work); });
}

}  // namespace zerobeat::detail
