#include "plan/step_changes.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <zerobeat/time/elapsed.hpp>

#include "time/wide_instant.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr std::size_t most_changes = 2'000, pieces = 256, rows_around = 60, most_drawn_rows = 1'000;

/// A column of a strand before a step, and what became of it.
struct Course {
  const Timeline* timeline = nullptr;
  Strand strand{};
  Column numbers{};

  [[nodiscard]] std::size_t size() const { return strand.size(); }
  [[nodiscard]] Instant time(std::size_t row) const {
    return timeline->times()[strand.begin + row];
  }
  [[nodiscard]] std::optional<double> value(std::size_t row) const {
    const double value = numbers.numbers()[strand.begin + row];
    if (!numbers.valid(strand.begin + row) || std::isnan(value)) return std::nullopt;
    return value;
  }
  /// The first row at an instant or after it.
  [[nodiscard]] std::size_t row_at(Instant t) const {
    const auto times = timeline->times().subspan(strand.begin, strand.size());
    return static_cast<std::size_t>(std::ranges::lower_bound(times, t) - times.begin());
  }
};

struct Compared {
  std::string column{}, key{};
  Course before{}, after{};
  bool same_column = false;  ///< and not one that was made of it
};

/// Calls body(row before, row after) for rows of one time, in order; of several rows of one time
/// each goes with its like.
template <typename Body>
void for_each_row_of_both(const Compared& compared, const Body& body) {
  std::size_t a = 0, b = 0;
  while (a < compared.before.size() && b < compared.after.size()) {
    const Instant before = compared.before.time(a), after = compared.after.time(b);
    if (before == after) body(a, b);
    a += before <= after;
    b += after <= before;
  }
}

bool share_readings(const Compared& compared) {
  const auto &before = compared.before, &after = compared.after;
  return before.numbers.numbers().data() == after.numbers.numbers().data() &&
         before.strand == after.strand && before.timeline->rows() == after.timeline->rows();
}

/// The column of a timeline that another's was made of: it has the same name, or begins so.
std::optional<std::string> origin_of(const Timeline& in, const std::string& column) {
  std::optional<std::string> origin;
  for (const auto& name : in.values().numeric_names()) {
    if (name == column) return name;
    const bool begins = column.starts_with(name + "_");
    if (begins && (!origin || origin->size() < name.size())) origin = name;
  }
  return origin;
}

std::vector<Compared> compared_of(std::span<const Timeline> in, const Timeline& out) {
  std::vector<Compared> all;
  for (const auto& column : out.values().numeric_names()) {
    for (const Timeline& given : in) {
      const auto origin = origin_of(given, column);
      if (!origin || given.axis() != out.axis()) continue;
      const Column before = given.values().column(*origin).as_numbers();
      const Column after = out.values().column(column).as_numbers();
      for (const Strand& strand : out.strands()) {
        const auto same = std::ranges::find(given.strands(), strand.key, &Strand::key);
        if (same == given.strands().end()) continue;
        all.push_back({column,
                       strand.key.value_or(""),
                       {&given, *same, before},
                       {&out, strand, after},
                       *origin == column});
      }
      break;
    }
  }
  return all;
}

/// A place in a strand, and how much a step changed about there.
struct Place {
  double score = 0;
  Instant at{};
};

/// The middle of the readings that were changed, in that one of equal pieces of time that has the
/// most of them.
Place most_changed(const Compared& compared) {
  const Course& after = compared.after;
  if (after.size() == 0 || compared.before.size() == 0) return {};
  const Instant first = after.time(0);
  const double span = std::max(1e-9, seconds_between(first, after.time(after.size() - 1)));
  std::array<std::vector<std::size_t>, pieces> rows;
  for_each_row_of_both(compared, [&](std::size_t a, std::size_t b) {
    if (compared.before.value(a) == after.value(b)) return;
    const double share = seconds_between(first, after.time(b)) / span;
    rows[std::min(pieces - 1, static_cast<std::size_t>(share * pieces))].push_back(b);
  });
  const auto& most = *std::ranges::max_element(rows, {}, &std::vector<std::size_t>::size);
  if (most.empty()) return {};
  return {static_cast<double>(most.size()), after.time(most[most.size() / 2])};
}

/// Where rows became others: the piece of time whose readings were furthest apart.
Place most_spread(const Compared& compared) {
  const Course& before = compared.before;
  if (before.size() == 0) return {};
  const Instant first = before.time(0);
  const double span = std::max(1e-9, seconds_between(first, before.time(before.size() - 1)));
  constexpr double none = std::numeric_limits<double>::infinity();
  std::array<double, pieces> least, most;
  least.fill(none);
  most.fill(-none);
  for (std::size_t row = 0; row < before.size(); ++row) {
    const auto value = before.value(row);
    if (!value || std::isinf(*value)) continue;
    const double share = seconds_between(first, before.time(row)) / span;
    const std::size_t piece = std::min(pieces - 1, static_cast<std::size_t>(share * pieces));
    least[piece] = std::min(least[piece], *value);
    most[piece] = std::max(most[piece], *value);
  }
  Place place;
  for (std::size_t piece = 0; piece < pieces; ++piece) {
    const double spread = most[piece] - least[piece];
    if (!(spread > place.score)) continue;
    const double into = (static_cast<double>(piece) + 0.5) / pieces * span;
    place = {spread, bounded_instant(Wide(nanoseconds_of(first)) + static_cast<Wide>(into * 1e9))};
  }
  return place;
}

/// Whether rows became others: other times, or another column.
bool is_made_anew(const Compared& compared) {
  if (!compared.same_column) return true;
  std::size_t both = 0;
  for_each_row_of_both(compared, [&](std::size_t, std::size_t) { ++both; });
  return both < compared.after.size() && 2 * both < compared.before.size();
}

std::vector<std::pair<Instant, std::optional<double>>> rows_between(const Course& course,
                                                                    Instant from, Instant to) {
  std::vector<std::pair<Instant, std::optional<double>>> rows;
  for (std::size_t row = course.row_at(from);
       row < course.size() && course.time(row) <= to && rows.size() < most_drawn_rows; ++row) {
    rows.emplace_back(course.time(row), course.value(row));
  }
  return rows;
}

PageStretch stretch_of(std::size_t step, const Compared& compared, Instant at) {
  const Course& before = compared.before;
  const Timeline& out = *compared.after.timeline;
  const std::size_t row = std::min(before.row_at(at), before.size() - 1);
  const Instant from = before.time(row < rows_around ? 0 : row - rows_around);
  const Instant to = before.time(std::min(before.size() - 1, row + rows_around));
  return {step,
          compared.column,
          compared.key,
          out.zone(),
          out.axis(),
          out.time_name(),
          rows_between(before, from, to),
          rows_between(compared.after, from, to)};
}

std::string time_text(Instant t, const Axis& axis) {
  if (axis.is_instants()) return to_text(t);
  std::string text;
  append_elapsed(text, t, *axis.elapsed);
  return text;
}

}  // namespace

void StepChanges::note(std::size_t step, const StepAccount& did, std::span<const Timeline> in,
                       const Timeline& out) {
  const auto all = compared_of(in, out);
  const Compared *changed = nullptr, *anew = nullptr;
  Place most{}, furthest{};
  for (const Compared& compared : all) {
    if (share_readings(compared)) continue;
    const bool made_anew = is_made_anew(compared);
    const Place place = made_anew ? most_spread(compared) : most_changed(compared);
    Place& best = made_anew ? furthest : most;
    if (place.score > best.score) {
      best = place;
      (made_anew ? anew : changed) = &compared;
    }
    if (!compared.same_column || did.cells_filled + did.cells_clipped == 0) continue;
    for_each_row_of_both(compared, [&](std::size_t a, std::size_t b) {
      const auto before = compared.before.value(a), after = compared.after.value(b);
      if (before == after) return;
      ++all_changes_;
      if (changes_.size() >= most_changes) return;
      const Instant at = compared.after.time(b);
      changes_.push_back(
          {step, compared.column, compared.key, at, time_text(at, out.axis()), before, after});
    });
  }
  if (changed == nullptr) {
    changed = anew;
    most = furthest;
  }
  if (changed != nullptr) stretches_.push_back(stretch_of(step, *changed, most.at));
}

}  // namespace zerobeat::detail
