#include <algorithm>
#include <zerobeat/judge/seen.hpp>

namespace zerobeat::inline v1 {

namespace {

constexpr std::size_t neighbours = 16;

/// Whether each of the readings after one differs from the one before it.
bool all_differ(const double* before) {
  int equal = 0;
  for (std::size_t k = 0; k < neighbours; ++k) equal += before[k + 1] == before[k];
  return equal == 0;
}

}  // namespace

void ReadingRuns::add(std::span<const double> values, std::int64_t row) {
  if (values.empty()) return;
  add(values[0], row);
  const double* const v = values.data();
  double last = v[0];
  std::size_t start = 0;
  std::int64_t before = open_.length - 1;  // of the open run, in what came before
  for (std::size_t i = 1; i < values.size();) {
    if (v[i] == last) {
      ++i;
      continue;
    }
    const auto length = static_cast<std::int64_t>(i - start) + before;
    if (runs_ == 0 || length >= shortest_kept) {
      open_.length = length;
      close();
    } else {
      ++runs_;
    }
    before = 0;
    start = i++;
    // Where each differs from the one before, each is a run of one.
    for (; i + neighbours <= values.size() && all_differ(v + i - 1); i += neighbours) {
      runs_ += static_cast<std::int64_t>(neighbours);
      start += neighbours;
    }
    last = v[start];
    open_.row = row + static_cast<std::int64_t>(start);
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

void MissingRuns::append(const MissingRuns& next, std::int64_t rows) {
  std::size_t from = 0;
  if (!next.all_.empty() && next.all_[0].row == 0 && !all_.empty() &&
      all_.back().row + all_.back().length == rows) {
    all_.back().length += next.all_[0].length;
    from = 1;
  }
  for (std::size_t i = from; i < next.all_.size(); ++i) {
    all_.push_back({next.all_[i].row + rows, next.all_[i].length});
  }
}

namespace {

/// Calls `stretch(from, until)` for each stretch of rows without a missing one.
template <typename Stretch>
void between_missing(std::size_t rows, std::span<const std::uint32_t> missing_rows,
                     Stretch&& stretch) {
  std::size_t from = 0;
  for (const std::uint32_t missing : missing_rows) {
    if (missing > from) stretch(from, std::size_t{missing});
    from = missing + std::size_t{1};
  }
  if (rows > from) stretch(from, rows);
}

template <typename Number>
void widen(std::optional<Number>& low, std::optional<Number>& high, Number least, Number most) {
  low = low ? std::min(*low, least) : least;
  high = high ? std::max(*high, most) : most;
}

}  // namespace

void ColumnSeen::see(std::span<const double> readings,
                     std::span<const std::uint32_t> missing_rows) {
  missing += static_cast<std::int64_t>(missing_rows.size());
  for (const std::uint32_t row : missing_rows) missing_runs.add(row);
  between_missing(readings.size(), missing_rows, [&](std::size_t from, std::size_t until) {
    runs.add(readings.subspan(from, until - from), static_cast<std::int64_t>(from));
    extremes.add(readings.subspan(from, until - from), static_cast<std::int64_t>(from));
  });
  if (missing_rows.size() < readings.size()) {
    widen(min, max, extremes.least(), extremes.greatest());
  }
}

void ColumnSeen::see(std::span<const std::int64_t> readings,
                     std::span<const std::uint32_t> missing_rows) {
  missing += static_cast<std::int64_t>(missing_rows.size());
  for (const std::uint32_t row : missing_rows) missing_runs.add(row);
  const std::vector<double> as_numbers(readings.begin(), readings.end());
  between_missing(readings.size(), missing_rows, [&](std::size_t from, std::size_t until) {
    runs.add(std::span(as_numbers).subspan(from, until - from), static_cast<std::int64_t>(from));
    extremes.add(std::span(as_numbers).subspan(from, until - from),
                 static_cast<std::int64_t>(from));
    const auto [low, high] =
        std::minmax_element(readings.begin() + static_cast<std::ptrdiff_t>(from),
                            readings.begin() + static_cast<std::ptrdiff_t>(until));
    widen(min_whole, max_whole, *low, *high);
  });
}

void ColumnSeen::append(const ColumnSeen& next, std::int64_t rows) {
  missing += next.missing;
  if (next.min) widen(min, max, *next.min, *next.max);
  if (next.min_whole) widen(min_whole, max_whole, *next.min_whole, *next.max_whole);
  runs.append(next.runs, rows);
  extremes.append(next.extremes, rows);
  missing_runs.append(next.missing_runs, rows);
}

void ColumnSeen::make_numbers() {
  if (!min_whole) return;
  widen(min, max, static_cast<double>(*min_whole), static_cast<double>(*max_whole));
  min_whole.reset();
  max_whole.reset();
}

}  // namespace zerobeat
