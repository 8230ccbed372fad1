#include <algorithm>
#include <limits>
#include <map>
#include <numeric>
#include <zerobeat/align/join.hpp>

#include "base/wide.hpp"

namespace zerobeat {

namespace {

/// What a row of the result takes: a left row, and one or two right ones. -1: none.
struct Row {
  Instant time{};
  std::int64_t left = -1;
  std::int64_t right = -1;
  std::int64_t after = -1;  ///< linear: the record after
  double share = 0;         ///< linear: how far on the way to it
};

/// The right records of a strand that count: of several at one time the last.
std::vector<std::int64_t> counting_rows(const Timeline& right, const Strand& strand) {
  const auto times = right.times();
  std::vector<std::int64_t> rows;
  for (std::size_t i = strand.begin; i < strand.end; ++i) {
    if (i + 1 < strand.end && times[i + 1] == times[i]) continue;
    rows.push_back(static_cast<std::int64_t>(i));
  }
  return rows;
}

class Matcher {
 public:
  Matcher(const Timeline& right, const Join& options, const Zone& zone)
      : times_(right.times()), options_(options), zone_(zone) {}

  /// Sets the right side of `row` from the neighbours among `rows` around place `at`, the first
  /// one at or after the row's time.
  void match(Row& row, const std::vector<std::int64_t>& rows, std::size_t at) const {
    const bool exact = at < rows.size() && time_of(rows[at]) == row.time;
    const std::int64_t here = exact ? rows[at] : -1;
    const std::int64_t before = exact ? here : at > 0 ? rows[at - 1] : -1;
    const std::int64_t after = exact ? here : at < rows.size() ? rows[at] : -1;
    const bool before_near = before >= 0 && is_near(time_of(before), row.time);
    const bool after_near = after >= 0 && is_near(row.time, time_of(after));
    switch (options_.match) {
      case Join::Match::exact:
        row.right = here;
        return;
      case Join::Match::previous:
        row.right = before_near ? before : -1;
        return;
      case Join::Match::next:
        row.right = after_near ? after : -1;
        return;
      case Join::Match::nearest:
        row.right = before_near ? before : -1;
        if (after_near && (!before_near || row_distance(row, after) < row_distance(row, before))) {
          row.right = after;
        }
        return;
      case Join::Match::linear:
        break;
    }
    if (!before_near || !after_near) return;
    row.right = before;
    if (exact) return;
    row.after = after;
    row.share = static_cast<double>(row_distance(row, before)) /
                static_cast<double>(row_distance(row, before) + row_distance(row, after));
  }

 private:
  Instant time_of(std::int64_t row) const { return times_[static_cast<std::size_t>(row)]; }

  Wide row_distance(const Row& row, std::int64_t other) const {
    const Wide apart = static_cast<Wide>(nanoseconds_of(row.time)) - nanoseconds_of(time_of(other));
    return apart < 0 ? -apart : apart;
  }

  bool is_near(Instant earlier, Instant later) const {
    return !options_.tolerance || later <= shift(earlier, *options_.tolerance, 1, zone_);
  }

  std::span<const Instant> times_;
  const Join& options_;
  const Zone& zone_;
};

/// The rows of one strand, matched, in order of time.
std::vector<Row> join_strand(const Timeline& left, const Strand* left_strand, const Timeline& right,
                             const Strand* right_strand, const Join& options) {
  std::vector<std::int64_t> rights;
  if (right_strand != nullptr) rights = counting_rows(right, *right_strand);
  const auto right_time = [&](std::size_t i) {
    return right.times()[static_cast<std::size_t>(rights[i])];
  };
  const Matcher matcher(right, options, left.zone());
  std::vector<Row> rows;
  std::vector<bool> taken(rights.size());
  const std::int64_t first_right = rights.empty() ? 0 : rights.front();
  // Rows that count are not contiguous, so what was taken is found by search.
  const auto take = [&](std::int64_t row) {
    if (row < first_right) return;
    const auto at = std::ranges::lower_bound(rights, row);
    taken[static_cast<std::size_t>(at - rights.begin())] = true;
  };
  std::size_t at = 0;
  const std::size_t begin = left_strand == nullptr ? 0 : left_strand->begin;
  const std::size_t end = left_strand == nullptr ? 0 : left_strand->end;
  for (std::size_t i = begin; i < end; ++i) {
    Row row;
    row.time = left.times()[i];
    row.left = static_cast<std::int64_t>(i);
    while (at < rights.size() && right_time(at) < row.time) ++at;
    matcher.match(row, rights, at);
    if (options.keep == Join::Keep::all) {
      if (row.right >= 0) take(row.right);
      if (row.after >= 0) take(row.after);
    }
    if (options.keep != Join::Keep::both || row.right >= 0) rows.push_back(row);
  }
  if (options.keep != Join::Keep::all) return rows;

  std::vector<Row> own;
  for (std::size_t i = 0; i < rights.size(); ++i) {
    if (taken[i]) continue;
    Row row;
    row.time = right_time(i);
    row.right = rights[i];
    own.push_back(row);
  }
  std::vector<Row> merged(rows.size() + own.size());
  std::ranges::merge(rows, own, merged.begin(), {}, &Row::time, &Row::time);
  return merged;
}

Column blend(const Column& column, const std::string& name, const std::vector<Row>& rows) {
  if (!column.is_numeric()) {
    fail_usage(
        "--match linear: column \"{}\" holds {}, which can't be read between; leave it out "
        "with --columns, or match otherwise",
        name, enum_words(column.type())[static_cast<std::size_t>(column.type())]);
  }
  const Column numbers = column.as_numbers();
  Buffer<double> values(rows.size());
  ValidityBuilder validity(rows.size());
  for (std::size_t i = 0; i < rows.size(); ++i) {
    const Row& row = rows[i];
    const auto at = [&](std::int64_t r) { return static_cast<std::size_t>(r); };
    const bool there = row.right >= 0 && numbers.valid(at(row.right)) &&
                       (row.after < 0 || numbers.valid(at(row.after)));
    if (!there) {
      values[i] = 0;
      validity.set_missing(i);
      continue;
    }
    const double a = numbers.numbers()[at(row.right)];
    const double b = row.after < 0 ? a : numbers.numbers()[at(row.after)];
    values[i] = a == b ? a : a * (1 - row.share) + b * row.share;
  }
  return Column::numbers(std::move(values), validity.take());
}

Timeline join_one(const Timeline& left, const Timeline& right, const Join& options) {
  if (!left.has_key() && right.has_key()) {
    fail_usage("{} has the key \"{}\" and {} has none; give {} a key too, or put {} on the left",
               right.name(), right.key_name(), left.name(), left.name(), right.name());
  }
  std::map<std::string, const Strand*> right_by_key;
  const Strand* only = nullptr;
  for (const Strand& strand : right.strands()) {
    if (strand.key) {
      right_by_key[*strand.key] = &strand;
    } else {
      only = &strand;
    }
  }
  const auto right_of = [&](const std::optional<std::string>& key) -> const Strand* {
    if (!right.has_key()) return only;
    const auto at = right_by_key.find(key.value_or(""));
    return at == right_by_key.end() ? nullptr : at->second;
  };

  Timeline::Parts parts = left.parts();
  parts.strands.clear();
  std::vector<Row> rows;
  const auto add_strand = [&](const std::optional<std::string>& key, const Strand* left_strand,
                              const Strand* right_strand) {
    const auto own = join_strand(left, left_strand, right, right_strand, options);
    const std::size_t begin = rows.size();
    rows.insert(rows.end(), own.begin(), own.end());
    parts.strands.push_back({key, begin, rows.size()});
  };
  for (const Strand& strand : left.strands()) {
    add_strand(strand.key, &strand, right_of(strand.key));
    right_by_key.erase(strand.key.value_or(""));
  }
  if (options.keep == Join::Keep::all) {
    // Right strands that no left one goes with, in their own order.
    for (const Strand& strand : right.strands()) {
      const bool unmatched =
          right.has_key() ? right_by_key.contains(strand.key.value_or("")) : left.strands().empty();
      if (unmatched && (strand.key.has_value() == left.has_key())) {
        add_strand(strand.key, nullptr, &strand);
      }
    }
  }

  std::vector<std::int64_t> left_rows(rows.size()), right_rows(rows.size());
  Buffer<Instant> times(rows.size());
  for (std::size_t i = 0; i < rows.size(); ++i) {
    times[i] = rows[i].time;
    left_rows[i] = rows[i].left;
    right_rows[i] = rows[i].right;
  }
  parts.times = Column::times(std::move(times));
  parts.values = left.values().gather(left_rows);
  for (std::size_t i = 0; i < right.values().columns().size(); ++i) {
    const std::string& name = right.values().names()[i];
    const Column& column = right.values().columns()[i];
    parts.values.add(name, options.match == Join::Match::linear ? blend(column, name, rows)
                                                                : column.gather(right_rows));
  }
  return Timeline(std::move(parts));
}

/// The same timeline with its value columns under other names.
Timeline renamed(const Timeline& timeline, const std::vector<std::string>& names) {
  Timeline::Parts parts = timeline.parts();
  parts.values = Table(timeline.rows());
  for (std::size_t i = 0; i < names.size(); ++i) {
    parts.values.add(names[i], timeline.values().columns()[i]);
  }
  return Timeline(std::move(parts));
}

/// Names that more than one side has get _NAME on every side.
std::vector<std::vector<std::string>> settle_names(std::span<const Timeline* const> sides) {
  std::map<std::string, int> uses;
  const Timeline& left = *sides[0];
  ++uses[left.time_name()];
  if (left.has_key()) ++uses[left.key_name()];
  for (const Timeline* side : sides) {
    for (const auto& name : side->values().names()) ++uses[name];
  }
  std::vector<std::vector<std::string>> names;
  std::map<std::string, int> results;
  for (const Timeline* side : sides) {
    auto& own = names.emplace_back();
    for (const auto& name : side->values().names()) {
      own.push_back(uses[name] > 1 ? name + "_" + side->name() : name);
      if (++results[own.back()] > 1 || own.back() == left.time_name() ||
          own.back() == left.key_name()) {
        fail_usage("two columns would be named \"{}\"; rename one before joining", own.back());
      }
    }
  }
  return names;
}

}  // namespace

Timeline join(const Timeline& left, std::span<const Timeline> rights, const Join& options) {
  if (rights.empty()) fail_usage("join needs a right side too: join LEFT RIGHT…");
  std::int64_t rows_in = static_cast<std::int64_t>(left.rows());
  std::vector<const Timeline*> sides{&left};
  for (const Timeline& right : rights) {
    rows_in += static_cast<std::int64_t>(right.rows());
    sides.push_back(&right);
  }
  StepTimer timer("join", describe_options(options), rows_in);
  for (const Timeline& right : rights) {
    const Axis &a = left.axis(), &b = right.axis();
    if (a.is_instants() == b.is_instants() && a.is_count() == b.is_count()) continue;
    fail_usage("the times of {} are {} and those of {} {}; they have no common axis", left.name(),
               to_text(a), right.name(), to_text(b));
  }
  if (options.tolerance) check_on_axis(left.axis(), *options.tolerance, "--tolerance");
  const auto names = settle_names(sides);
  Timeline joined = renamed(left, names[0]);
  for (std::size_t i = 0; i < rights.size(); ++i) {
    joined = join_one(joined, renamed(rights[i], names[i + 1]), options);
  }
  Timeline::Parts parts = joined.parts();
  parts.account = left.account();
  for (const Timeline& right : rights) add_to(parts.account, right.account());
  return timer.finish(std::move(parts));
}

Timeline join(const Timeline& left, const Timeline& right, const Join& options) {
  return join(left, std::span<const Timeline>(&right, 1), options);
}

Made apply(std::span<const Timeline> in, const Join& options) {
  return Made(join(in[0], in.subspan(1), options));
}

Reach reach(const Join& options) {
  const ReachSide far =
      options.tolerance ? ReachSide::of(Extent(*options.tolerance)) : ReachSide::whole();
  // Whether a right record has a row of its own depends on the left rows that could take it.
  if (options.keep == Join::Keep::all && options.match != Join::Match::exact) return {far, far};
  switch (options.match) {
    case Join::Match::exact:
      return {};
    case Join::Match::previous:
      return {far, {}};
    case Join::Match::next:
      return {{}, far};
    default:
      return {far, far};
  }
}

}  // namespace zerobeat
