#include <algorithm>
#include <zerobeat/table/seen.hpp>

namespace zerobeat {

void ReadingRuns::add(std::span<const double> values, std::int64_t row) {
  if (values.empty()) return;
  add(values[0], row);
  const double* const v = values.data();
  double last = v[0];
  std::size_t start = 0;
  std::int64_t before = open_.length - 1;  // of the open run, in what came before
  for (std::size_t i = 1; i < values.size(); ++i) {
    if (v[i] == last) continue;
    const auto length = static_cast<std::int64_t>(i - start) + before;
    if (runs_ == 0 || length >= shortest_kept) {
      open_.length = length;
      close();
    } else {
      ++runs_;
    }
    before = 0;
    start = i;
    last = v[i];
    open_.row = row + static_cast<std::int64_t>(i);
  }
  open_.length = static_cast<std::int64_t>(values.size() - start) + before;
  value_ = last;
  readings_ += static_cast<std::int64_t>(values.size()) - 1;
}

void ReadingRuns::append(const ReadingRuns& next, std::int64_t rows) {
  if (next.readings_ == 0) return;
  const auto moved = [&](Run run) { return Run{run.row + rows, run.length}; };
  if (readings_ == 0) {
    *this = next;
    head_ = moved(head_);
    open_ = moved(open_);
    for (Run& run : long_runs_) run = moved(run);
    return;
  }
  const bool joined = next.head_value_ == value_;
  readings_ += next.readings_;
  if (next.runs_ == 0) {  // all of one value
    if (joined) {
      open_.length += next.open_.length;
    } else {
      close();
      open_ = moved(next.open_);
      value_ = next.value_;
    }
    return;
  }
  if (joined) open_.length += next.head_.length;
  close();
  auto from = next.long_runs_.begin();
  if (joined) {
    if (next.head_.length >= shortest_kept) ++from;  // counted with the open one
    runs_ += next.runs_ - 1;
  } else {
    runs_ += next.runs_;
  }
  for (; from != next.long_runs_.end(); ++from) long_runs_.push_back(moved(*from));
  open_ = moved(next.open_);
  value_ = next.value_;
}

ReadingRuns::Stuck ReadingRuns::stuck() const {
  ReadingRuns whole = *this;
  whole.close();
  Stuck out;
  if (whole.runs_ < 2) return out;
  const auto threshold = [](std::int64_t readings, std::int64_t runs) {
    const double mean = static_cast<double>(readings) / static_cast<double>(runs);
    return 6 + 15 * (mean - 1);
  };
  // A run too long pulls the average up with it; the longest are taken out one after the other
  // until what is left is alike.
  std::ranges::sort(whole.long_runs_, std::greater<>(), &Run::length);
  std::int64_t readings = whole.readings_, runs = whole.runs_;
  std::size_t stuck = 0;
  for (const Run& run : whole.long_runs_) {
    if (runs < 2) break;
    const auto rest = threshold(readings - run.length, runs - 1);
    if (static_cast<double>(run.length) <= rest) break;
    readings -= run.length;
    --runs;
    ++stuck;
  }
  for (std::size_t i = 0; i < stuck; ++i) {
    const Run& run = whole.long_runs_[i];
    if (i == 0 || run.row < out.first_row) out.first_row = run.row;
    out.longest = std::max(out.longest, run.length);
    out.readings += run.length;
    ++out.runs;
  }
  return out;
}

}  // namespace zerobeat
