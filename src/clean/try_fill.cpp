#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <zerobeat/base/text.hpp>
#include <zerobeat/table/step_timer.hpp>

#include "clean/filling.hpp"
#include "table/made_columns.hpp"
#include "take/definitions.hpp"

namespace zerobeat::inline v1 {

namespace {

/// Numbers that are the same everywhere (splitmix64; Steele, Lea, Flood 2014).
class Dice {
 public:
  explicit Dice(std::uint64_t seed) : state_(seed) {}
  std::size_t below(std::size_t n) {
    std::uint64_t z = state_ += 0x9e3779b97f4a7c15ULL;
    z = (z ^ (z >> 30)) * 0xbf58476d1ce4e5b9ULL;
    z = (z ^ (z >> 27)) * 0x94d049bb133111ebULL;
    return static_cast<std::size_t>((z ^ (z >> 31)) % n);
  }

 private:
  std::uint64_t state_;
};

/// How many rows each of a column's gaps has; one when it has none.
std::vector<std::size_t> gap_lengths(const Timeline& timeline, const Column& column) {
  std::vector<std::size_t> lengths;
  for (const Strand& strand : timeline.strands()) {
    std::size_t length = 0;
    bool any = false;
    for (std::size_t row = strand.begin; row <= strand.end; ++row) {
      if (row < strand.end && !column.valid(row)) {
        ++length;
        continue;
      }
      // What a strand begins with is no gap between readings, nor is what it ends with.
      if (length > 0 && any && row < strand.end) lengths.push_back(length);
      any |= row < strand.end;
      length = 0;
    }
  }
  if (lengths.empty()) lengths.push_back(1);
  return lengths;
}

/// Hides about so many readings in blocks; each strand keeps the first and the last of its own.
std::vector<std::size_t> hidden_rows(const Timeline& timeline, const Column& column, double share,
                                     std::uint64_t seed) {
  const auto lengths = gap_lengths(timeline, column);
  const std::size_t rows = timeline.rows();
  std::vector<bool> may(rows), hidden(rows);
  std::size_t readings = 0;
  for (const Strand& strand : timeline.strands()) {
    std::size_t first = strand.begin, last = strand.end;
    while (first < strand.end && !column.valid(first)) ++first;
    while (last > first && !column.valid(last - 1)) --last;
    for (std::size_t row = first; row < last; ++row) {
      readings += column.valid(row);
      may[row] = row > first && row + 1 < last;
    }
  }
  const auto wanted =
      static_cast<std::size_t>(std::max(1.0, std::round(share * static_cast<double>(readings))));
  Dice dice(seed);
  std::size_t count = 0;
  for (std::size_t tries = 0; rows > 0 && count < wanted && tries < 50 * wanted + 1000; ++tries) {
    const std::size_t length = lengths[dice.below(lengths.size())];
    const std::size_t begin = dice.below(rows), end = begin + length;
    bool fits = end <= rows;
    // A reading stays on both sides of a block.
    for (std::size_t row = begin; row < end && fits; ++row) {
      fits = may[row] && column.valid(row) && !hidden[row];
    }
    if (!fits || hidden[begin - 1] || hidden[end]) continue;
    for (std::size_t row = begin; row < end; ++row) hidden[row] = true;
    count += length;
  }
  std::vector<std::size_t> out;
  for (std::size_t row = 0; row < rows; ++row) {
    if (hidden[row]) out.push_back(row);
  }
  return out;
}

/// How far a filling is off what was hidden.
struct Score {
  std::string how, column;
  std::int64_t hidden = 0, filled = 0;
  double mae = 0, rmse = 0, bias = 0, worst = 0;
};

Score score_of(const Column& truth, const Column& filling, const std::vector<std::size_t>& hidden) {
  Score score;
  score.hidden = static_cast<std::int64_t>(hidden.size());
  detail::CompensatedSum sizes, squares, offs;
  for (const std::size_t row : hidden) {
    if (!filling.valid(row)) continue;
    ++score.filled;
    const double off = filling.numbers()[row] - truth.numbers()[row];
    sizes.add(std::fabs(off));
    squares.add(off * off);
    offs.add(off);
    score.worst = std::max(score.worst, std::fabs(off));
  }
  if (score.filled == 0) return score;
  const auto n = static_cast<double>(score.filled);
  score.mae = sizes.mean(n);
  score.rmse = std::sqrt(squares.mean(n));
  score.bias = offs.mean(n);
  return score;
}

Table table_of(const std::vector<Score>& scores) {
  const std::size_t rows = scores.size();
  const auto counts = [&](std::int64_t Score::*member) {
    Buffer<std::int64_t> values(rows);
    for (std::size_t i = 0; i < rows; ++i) values[i] = scores[i].*member;
    return Column::integers(std::move(values));
  };
  const auto numbers = [&](double Score::*member) {
    Buffer<double> values(rows);
    ValidityBuilder validity(rows);
    for (std::size_t i = 0; i < rows; ++i) {
      values[i] = scores[i].*member;
      if (scores[i].filled == 0) validity.set_missing(i);
    }
    return Column::numbers(std::move(values), validity.take());
  };
  const auto words = [&](std::string Score::*member) {
    std::vector<std::string> all;
    for (const Score& score : scores) all.push_back(score.*member);
    return detail::column_of_words(all);
  };
  Table table(rows);
  table.add("how", words(&Score::how));
  table.add("column", words(&Score::column));
  table.add("hidden", counts(&Score::hidden));
  table.add("filled", counts(&Score::filled));
  table.add("mae", numbers(&Score::mae));
  table.add("rmse", numbers(&Score::rmse));
  table.add("bias", numbers(&Score::bias));
  table.add("worst", numbers(&Score::worst));
  return table;
}

}  // namespace

FillTrial try_fill(const Timeline& timeline, const Fill& options) {
  StepTimer timer(options, timeline);
  const double share = options.hide.value_or(0.1);
  if (!(share > 0 && share < 1)) {
    fail_usage("‹hide› {}: a share between 0 and 1, like 0.1", share);
  }
  if (options.flag) fail_usage("‹flag›: ‹try› fills nothing");
  if (options.how != Fill::Method(Fill::How::linear)) {
    fail_usage("‹how› {}: ‹try› names the ways itself", to_text(options.how));
  }
  detail::check_filling(timeline, options, options.trial);
  // Only numbers can be off by some amount.
  Fill numeric = options;
  if (numeric.on.empty()) numeric.on = timeline.values().numeric_names();
  for (const Fill::Method& how : options.trial) {
    if (const auto* like = std::get_if<Fill::Like>(&how); like != nullptr && options.on.empty()) {
      std::erase(numeric.on, like->column);
    }
  }
  std::vector<Score> scores;
  std::vector<FillTrial::Tried> tried;
  for (const auto& name : timeline.values().chosen(numeric.on)) {
    const Column truth = timeline.values().column(name).as_numbers();
    const auto hidden =
        hidden_rows(timeline, truth, share, static_cast<std::uint64_t>(options.seed.value_or(1)));
    const Column open = detail::without_rows(truth, hidden);
    const std::size_t first = scores.size();
    FillTrial::Tried& trial = tried.emplace_back();
    trial.column = name;
    trial.hidden = hidden;
    for (const Fill::Method& how : options.trial) {
      const auto own = detail::filled(timeline, open, options, how);
      const Column filling = own.column.as_numbers();
      Score score = score_of(truth, filling, hidden);
      auto& put = trial.fillings.emplace_back();
      for (const std::size_t row : hidden) {
        put.push_back(filling.valid(row) ? filling.numbers()[row]
                                         : std::numeric_limits<double>::quiet_NaN());
      }
      score.how = to_text(how);
      score.column = name;
      scores.push_back(std::move(score));
    }
    const Score* best = nullptr;
    for (std::size_t i = first; i < scores.size(); ++i) {
      const Score& score = scores[i];
      if (score.filled == 0) continue;
      if (best == nullptr || score.filled > best->filled ||
          (score.filled == best->filled && score.rmse < best->rmse)) {
        best = &score;
        trial.best = i - first;
      }
    }
    timer.note(best == nullptr
                   ? fmt::format("{}: nothing was filled", shown(name))
                   : fmt::format("{}: {} comes nearest, {:.3g} off (root of the mean square) over "
                                 "{} of {} hidden readings",
                                 shown(name), best->how, best->rmse, grouped(best->filled),
                                 grouped(best->hidden)));
  }
  Table table = table_of(scores);
  return {table, std::move(tried), timer.finish(static_cast<std::int64_t>(table.rows()))};
}

}  // namespace zerobeat
