/// What the project uses of oneTBB, made of plain threads, for the thread sanitizer: it sees every
/// lock and every hand-over here, where the library's own, which is not built with it, would be
/// taken for races. Two threads, started anew for each call; not for anything but tests.

#pragma once

#include <algorithm>
#include <atomic>
#include <cstddef>
#include <deque>
#include <exception>
#include <functional>
#include <mutex>
#include <thread>
#include <type_traits>
#include <vector>

namespace tbb {

namespace detail {

inline constexpr std::size_t threads = 2;

/// Calls work(i) for each i of [0, count), by several threads when there is more than one.
template <typename Work>
void for_each(std::size_t count, const Work& work) {
  if (count < 2) {
    if (count == 1) work(std::size_t{0});
    return;
  }
  std::atomic<std::size_t> next{0};
  std::exception_ptr failed;
  std::mutex mutex;
  const auto run = [&] {
    try {
      for (std::size_t i = next++; i < count; i = next++) work(i);
    } catch (...) {
      const std::lock_guard lock(mutex);
      failed = std::current_exception();
    }
  };
  std::vector<std::thread> others;
  for (std::size_t t = 1; t < threads; ++t) others.emplace_back(run);
  run();
  for (auto& thread : others) thread.join();
  if (failed) std::rethrow_exception(failed);
}

}  // namespace detail

template <typename Index>
class blocked_range {
 public:
  blocked_range(Index begin, Index end, std::size_t grain = 1)
      : begin_(begin), end_(end), grain_(grain) {}
  Index begin() const { return begin_; }
  Index end() const { return end_; }
  std::size_t grain() const { return grain_; }

 private:
  Index begin_, end_;
  std::size_t grain_;
};

template <typename Index, typename Work>
void parallel_for(Index first, Index last, const Work& work) {
  if (!(first < last)) return;
  detail::for_each(static_cast<std::size_t>(last - first),
                   [&](std::size_t i) { work(static_cast<Index>(first + i)); });
}

template <typename Index, typename Work>
void parallel_for(const blocked_range<Index>& range, const Work& work) {
  const auto size = static_cast<std::size_t>(range.end() - range.begin());
  const std::size_t grain = std::max<std::size_t>(1, range.grain());
  detail::for_each((size + grain - 1) / grain, [&](std::size_t b) {
    const Index from = range.begin() + b * grain;
    work(blocked_range<Index>(from, std::min<Index>(range.end(), from + grain), grain));
  });
}

template <typename T>
class concurrent_queue {
 public:
  void push(T value) {
    const std::lock_guard lock(mutex_);
    values_.push_back(std::move(value));
  }
  bool try_pop(T& value) {
    const std::lock_guard lock(mutex_);
    if (values_.empty()) return false;
    value = std::move(values_.front());
    values_.pop_front();
    return true;
  }

 private:
  std::mutex mutex_;
  std::deque<T> values_;
};

enum class filter_mode { parallel, serial_in_order, serial_out_of_order };

class flow_control {
 public:
  void stop() { stopped_ = true; }
  bool stopped() const { return stopped_; }

 private:
  bool stopped_ = false;
};

template <typename In, typename Out>
struct filter {
  std::function<Out(std::conditional_t<std::is_void_v<In>, flow_control&, In>)> work;
};

template <typename In, typename Out, typename Work>
filter<In, Out> make_filter(filter_mode, Work work) {
  return {work};
}

/// A source and what is done to what it gives, side by side.
template <typename T>
struct worked {
  filter<void, T> source;
  filter<T, T> middle;
};

template <typename T>
struct pipeline {
  worked<T> first;
  filter<T, void> sink;
};

template <typename T>
worked<T> operator&(filter<void, T> source, filter<T, T> middle) {
  return {std::move(source), std::move(middle)};
}
template <typename T>
pipeline<T> operator&(worked<T> first, filter<T, void> sink) {
  return {std::move(first), std::move(sink)};
}

template <typename T>
void parallel_pipeline(std::size_t tokens, const pipeline<T>& stages) {
  flow_control control;
  while (!control.stopped()) {
    std::vector<T> items;
    while (items.size() < tokens && !control.stopped()) {
      T item = stages.first.source.work(control);
      if (!control.stopped()) items.push_back(std::move(item));
    }
    detail::for_each(items.size(),
                     [&](std::size_t i) { items[i] = stages.first.middle.work(items[i]); });
    for (T& item : items) stages.sink.work(item);
  }
}

class global_control {
 public:
  enum parameter { max_allowed_parallelism };
  global_control(parameter, std::size_t) {}
};

class task_arena {
 public:
  explicit task_arena(int = 0) {}
  template <typename Work>
  auto execute(Work&& work) {
    return work();
  }
};

namespace this_task_arena {
inline int max_concurrency() { return static_cast<int>(detail::threads); }
/// Here nobody takes work of others while he waits.
template <typename Work>
void isolate(const Work& work) {
  work();
}
}  // namespace this_task_arena

// Nothing is stopped here.
#define ZEROBEAT_STAND_IN_FOR_TBB
inline bool is_current_task_group_canceling() { return false; }

class task_group_context {
 public:
  bool cancel_group_execution() { return true; }
};

class task_group {
 public:
  explicit task_group(task_group_context&) {}
  template <typename Work>
  void run_and_wait(const Work& work) {
    work();
  }
};

}  // namespace tbb
