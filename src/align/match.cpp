#include "align/match.hpp"

#include <algorithm>
#include <atomic>
#include <limits>

#include "base/parallel.hpp"
#include "time/wide_instant.hpp"

namespace zerobeat::inline v1::detail {

namespace {

using Match = Join::Match;

/// Within a fixed tolerance, or any.
struct FixedNear {
  std::uint64_t most = std::numeric_limits<std::uint64_t>::max();

  bool operator()(std::int64_t earlier, std::int64_t later) const {
    return static_cast<std::uint64_t>(later) - static_cast<std::uint64_t>(earlier) <= most;
  }
};

/// Within a tolerance that goes by the calendar.
struct CalendarNear {
  Period period;
  Zone zone;

  bool operator()(std::int64_t earlier, std::int64_t later) const {
    return instant_of(later) <= shift(instant_of(earlier), period, 1, zone);
  }
};

/// The times of one right strand, and its first row.
struct RightTimes {
  const std::int64_t* times = nullptr;
  std::size_t size = 0;
  std::int64_t first = 0;
};

/// Goes along a strand's left rows. Of several right records at one time the last counts.
template <Match how, typename Near>
class Walker {
 public:
  Walker(const RightTimes& right, std::int64_t from, const Near& near)
      : r_(right.times), size_(right.size), first_(right.first), near_(near) {
    past_ = static_cast<std::size_t>(std::upper_bound(r_, r_ + size_, from) - r_);
    reached_ = static_cast<std::size_t>(std::lower_bound(r_, r_ + size_, from) - r_);
  }

  /// The right row of a left one at `t`, and for linear the one after and the share.
  std::int64_t operator()(std::int64_t t, std::int64_t* after, double* share) {
    if constexpr (how == Match::earlier) {
      while (reached_ < size_ && r_[reached_] < t) ++reached_;
      return reached_ > 0 && near_(r_[reached_ - 1], t) ? row(reached_ - 1) : -1;
    } else {
      while (past_ < size_ && r_[past_] <= t) ++past_;
      const bool exact = past_ > 0 && r_[past_ - 1] == t;
      if constexpr (how == Match::exact) return exact ? row(past_ - 1) : -1;
      const bool before = past_ > 0 && near_(r_[past_ - 1], t);
      if constexpr (how == Match::previous) return before ? row(past_ - 1) : -1;
      if (exact) {
        if constexpr (how == Match::linear) *after = -1, *share = 0;
        return row(past_ - 1);
      }
      const bool next = past_ < size_ && near_(t, r_[past_]);
      if constexpr (how == Match::next) return next ? row(last_of_next()) : -1;
      if constexpr (how == Match::nearest) {
        if (before && next) {
          const auto back =
              static_cast<std::uint64_t>(t) - static_cast<std::uint64_t>(r_[past_ - 1]);
          const auto ahead = static_cast<std::uint64_t>(r_[past_]) - static_cast<std::uint64_t>(t);
          return ahead < back ? row(last_of_next()) : row(past_ - 1);
        }
        return before ? row(past_ - 1) : next ? row(last_of_next()) : -1;
      }
      if constexpr (how == Match::linear) {
        if (!before || !next) return -1;
        *after = row(last_of_next());
        const auto back = static_cast<std::uint64_t>(t) - static_cast<std::uint64_t>(r_[past_ - 1]);
        const auto whole =
            static_cast<std::uint64_t>(r_[past_]) - static_cast<std::uint64_t>(r_[past_ - 1]);
        *share = static_cast<double>(back) / static_cast<double>(whole);
        return row(past_ - 1);
      }
    }
    return -1;
  }

 private:
  std::int64_t row(std::size_t i) const { return first_ + static_cast<std::int64_t>(i); }

  /// The last of the records that have the time of the next one.
  std::size_t last_of_next() {
    if (group_begin_ != past_ || group_end_ == 0) {
      group_begin_ = past_;
      group_end_ = past_ + 1;
      while (group_end_ < size_ && r_[group_end_] == r_[past_]) ++group_end_;
    }
    return group_end_ - 1;
  }

  const std::int64_t* r_;
  std::size_t size_;
  std::int64_t first_;
  const Near& near_;
  std::size_t past_ = 0;     // the first right record after the row's time
  std::size_t reached_ = 0;  // of earlier: the first one at or after it
  std::size_t group_begin_ = 0, group_end_ = 0;
};

/// Some left rows, which may be of several strands.
struct LeftPart {
  std::size_t from = 0, until = 0;
};

template <typename Work>
void for_each_part(std::size_t rows, Work&& work) {
  constexpr std::size_t part = std::size_t{1} << 17;
  detail::parallel_for(std::size_t{0}, (rows + part - 1) / part, [&](std::size_t p) {
    work(LeftPart{p * part, std::min(rows, (p + 1) * part)});
  });
}

template <Match how, typename Near>
void match_all(const Timeline& left, const Timeline& right,
               const std::vector<const Strand*>& strand_of, const Near& near, Matches& out) {
  static_assert(sizeof(Instant) == sizeof(std::int64_t));
  const auto* const l = reinterpret_cast<const std::int64_t*>(left.times().data());
  const auto* const r = reinterpret_cast<const std::int64_t*>(right.times().data());
  const auto strands = left.strands();
  for_each_part(left.rows(), [&](const LeftPart& part) {
    auto s = static_cast<std::size_t>(
        std::ranges::upper_bound(strands, part.from, {}, &Strand::end) - strands.begin());
    for (std::size_t row = part.from; row < part.until; ++s) {
      const std::size_t end = std::min(part.until, strands[s].end);
      if (row >= end) continue;
      const Strand* const strand = strand_of[s];
      if (strand == nullptr || strand->size() == 0) {
        std::fill(out.rows.begin() + row, out.rows.begin() + end, -1);
        if constexpr (how == Match::linear) {
          std::fill(out.after.begin() + row, out.after.begin() + end, -1);
          std::fill(out.share.begin() + row, out.share.begin() + end, 0.0);
        }
        row = end;
        continue;
      }
      Walker<how, Near> walk(
          {r + strand->begin, strand->size(), static_cast<std::int64_t>(strand->begin)}, l[row],
          near);
      for (; row < end; ++row) {
        std::int64_t after = -1;
        double share = 0;
        out.rows[row] = walk(l[row], &after, &share);
        if constexpr (how == Match::linear) {
          out.after[row] = after;
          out.share[row] = share;
        }
      }
    }
  });
}

template <typename Near>
void match_by(const Timeline& left, const Timeline& right,
              const std::vector<const Strand*>& strand_of, Match how, const Near& near,
              Matches& out) {
  switch (how) {
    case Match::previous:
      return match_all<Match::previous>(left, right, strand_of, near, out);
    case Match::earlier:
      return match_all<Match::earlier>(left, right, strand_of, near, out);
    case Match::exact:
      return match_all<Match::exact>(left, right, strand_of, near, out);
    case Match::next:
      return match_all<Match::next>(left, right, strand_of, near, out);
    case Match::nearest:
      return match_all<Match::nearest>(left, right, strand_of, near, out);
    case Match::linear:
      return match_all<Match::linear>(left, right, strand_of, near, out);
  }
}

}  // namespace

Matches match_rows(const Timeline& left, const Timeline& right,
                   const std::vector<const Strand*>& strand_of, const Join& options) {
  Matches out;
  out.rows = Buffer<std::int64_t>(left.rows());
  if (options.match == Match::linear) {
    out.after = Buffer<std::int64_t>(left.rows());
    out.share = Buffer<double>(left.rows());
  }
  const auto& tolerance = options.tolerance;
  if (tolerance && !tolerance->is_fixed()) {
    match_by(left, right, strand_of, options.match, CalendarNear{*tolerance, left.zone()}, out);
  } else {
    FixedNear near;
    if (tolerance) near.most = static_cast<std::uint64_t>(tolerance->nanoseconds.count());
    match_by(left, right, strand_of, options.match, near, out);
  }
  return out;
}

/// A right column between the record before and the one after.
Column blend(const Column& column, std::span<const std::int64_t> rows,
             std::span<const std::int64_t> after, std::span<const double> share) {
  const Column numbers = column.as_numbers();
  const auto x = numbers.numbers();
  Buffer<double> values(rows.size());
  Buffer<std::uint64_t> there((rows.size() + 63) / 64);
  constexpr std::size_t part = std::size_t{1} << 16;
  detail::parallel_for(std::size_t{0}, (rows.size() + part - 1) / part, [&](std::size_t p) {
    const std::size_t end = std::min(rows.size(), (p + 1) * part);
    for (std::size_t from = p * part; from < end; from += 64) {
      std::uint64_t word = 0;
      for (std::size_t i = from; i < std::min(end, from + 64); ++i) {
        const std::int64_t before = rows[i];
        const std::int64_t next = after.empty() || after[i] < 0 ? before : after[i];
        const bool known = before >= 0 && numbers.valid(static_cast<std::size_t>(before)) &&
                           numbers.valid(static_cast<std::size_t>(next));
        values[i] = 0;
        if (!known) continue;
        const double a = x[static_cast<std::size_t>(before)];
        const double b = x[static_cast<std::size_t>(next)];
        values[i] = a == b ? a : a * (1 - share[i]) + b * share[i];
        word |= std::uint64_t{1} << (i % 64);
      }
      there[from / 64] = word;
    }
  });
  return Column::numbers(std::move(values), Validity(std::move(there), rows.size()));
}

namespace {

constexpr auto no_age = std::numeric_limits<std::uint64_t>::max();

/// The age of each row's match; no_age where there is none.
struct Ages {
  std::span<const Instant> left, right;
  const Buffer<std::int64_t>& rows;

  std::uint64_t operator()(std::size_t i) const {
    if (rows[i] < 0) return no_age;
    const std::int64_t a = nanoseconds_of(left[i]);
    const std::int64_t b = nanoseconds_of(right[static_cast<std::size_t>(rows[i])]);
    return a > b ? static_cast<std::uint64_t>(a) - static_cast<std::uint64_t>(b)
                 : static_cast<std::uint64_t>(b) - static_cast<std::uint64_t>(a);
  }
};

/// The k-th and the next of the ages (k + 1 when there is one), by selection.
double middle_of(std::vector<std::uint64_t>& ages, std::size_t k, bool with_next) {
  const auto at = ages.begin() + static_cast<std::ptrdiff_t>(k);
  std::nth_element(ages.begin(), at, ages.end());
  const auto own = static_cast<double>(*at);
  if (!with_next) return own;
  return (own + static_cast<double>(*std::min_element(at + 1, ages.end()))) / 2;
}

/// The median in nanoseconds. Of many, some from all over tell within which bounds it lies; then
/// only those are gathered (Floyd, Rivest 1975).
double median_of(const Ages& ages, std::size_t matched) {
  const std::size_t rows = ages.rows.size();
  const std::size_t k = (matched - 1) / 2;
  const bool with_next = matched % 2 == 0;
  const auto all = [&] {
    std::vector<std::uint64_t> every;
    every.reserve(matched);
    for (std::size_t i = 0; i < rows; ++i) {
      if (const std::uint64_t age = ages(i); age != no_age) every.push_back(age);
    }
    return middle_of(every, k, with_next);
  };
  constexpr std::size_t few = 1 << 15;
  if (rows <= few) return all();
  std::vector<std::uint64_t> samples;
  for (std::size_t i = 0; i < rows; i += rows / 4096) {
    if (const std::uint64_t age = ages(i); age != no_age) samples.push_back(age);
  }
  if (samples.size() < 256) return all();
  std::ranges::sort(samples);
  const std::size_t half = samples.size() / 2, spread = samples.size() / 24;
  const std::uint64_t low = samples[half - spread], high = samples[half + spread];
  constexpr std::size_t part = std::size_t{1} << 17;
  std::vector<std::vector<std::uint64_t>> within((rows + part - 1) / part);
  std::atomic<std::size_t> below = 0;
  for_each_part(rows, [&](const LeftPart& left_part) {
    std::size_t less = 0;
    auto& kept = within[left_part.from / part];
    for (std::size_t i = left_part.from; i < left_part.until; ++i) {
      const std::uint64_t age = ages(i);
      less += age < low;
      if (age >= low && age <= high) kept.push_back(age);
    }
    below += less;
  });
  std::vector<std::uint64_t> kept;
  for (const auto& own : within) kept.insert(kept.end(), own.begin(), own.end());
  if (k < below || k + with_next >= below + kept.size()) return all();
  return middle_of(kept, k - below, with_next);
}

}  // namespace

MatchSummary summary_of(const Timeline& left, const Timeline& right, const Matches& matches) {
  MatchSummary out;
  out.used.resize(right.rows());
  const Ages ages{left.times(), right.times(), matches.rows};
  std::atomic<std::int64_t> matched = 0;
  std::atomic<std::uint64_t> largest = 0;
  for_each_part(left.rows(), [&](const LeftPart& part) {
    const auto use = [&](std::int64_t row) {
      std::atomic_ref<std::uint8_t>(out.used[static_cast<std::size_t>(row)])
          .store(1, std::memory_order_relaxed);
    };
    std::int64_t own = 0, before = -1;
    std::uint64_t most = 0;
    for (std::size_t i = part.from; i < part.until; ++i) {
      const std::int64_t row = matches.rows[i];
      if (row < 0) continue;
      ++own;
      if (row != before) use(row);
      before = row;
      if (!matches.after.empty() && matches.after[i] >= 0) use(matches.after[i]);
      most = std::max(most, ages(i));
    }
    matched += own;
    for (std::uint64_t seen = largest; seen < most && !largest.compare_exchange_weak(seen, most);) {
    }
  });
  out.matched = matched;
  out.unmatched = static_cast<std::int64_t>(left.rows()) - out.matched;
  out.never_used = std::ranges::count(out.used, std::uint8_t{0});
  if (out.matched == 0) return out;
  out.median_age_s = median_of(ages, static_cast<std::size_t>(out.matched)) / 1e9;
  out.largest_age_s = static_cast<double>(largest.load()) / 1e9;
  return out;
}

}  // namespace zerobeat::detail
