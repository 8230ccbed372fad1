#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <unordered_map>
#include <zerobeat/align/join.hpp>
#include <zerobeat/base/text.hpp>
#include <zerobeat/table/step_timer.hpp>

#include "align/match.hpp"
#include "align/sides.hpp"
#include "time/wide_instant.hpp"

namespace zerobeat::inline v1 {

namespace {

/// The strands that go together: of each left one the right one, or null.
struct Pairs {
  std::vector<const Strand*> right_of;
  std::vector<const Strand*> right_alone;  ///< keys that the left side has not
};

Pairs pairs_of(const Timeline& left, const Timeline& right) {
  Pairs pairs;
  if (!right.has_key()) {
    const Strand* only = right.strands().empty() ? nullptr : &right.strands()[0];
    pairs.right_of.assign(left.strands().size(), only);
    if (left.strands().empty() && only != nullptr) pairs.right_alone.push_back(only);
    return pairs;
  }
  std::unordered_map<std::string_view, const Strand*> by_key;
  for (const Strand& strand : right.strands()) {
    if (strand.key) by_key.emplace(*strand.key, &strand);
  }
  for (const Strand& strand : left.strands()) {
    const auto at = strand.key ? by_key.find(*strand.key) : by_key.end();
    pairs.right_of.push_back(at == by_key.end() ? nullptr : at->second);
    if (at != by_key.end()) by_key.erase(at);
  }
  for (const Strand& strand : right.strands()) {
    if (strand.key && by_key.contains(*strand.key)) pairs.right_alone.push_back(&strand);
  }
  return pairs;
}

/// The rows of a result that are not just the left ones: a left row or -1, a right row or -1.
struct Chosen {
  std::vector<Strand> strands;
  std::vector<std::int64_t> left, right;
  std::vector<std::int64_t> match;  ///< the left row whose match it has, or -1
};

/// Only left rows that found a match.
Chosen matched_rows(const Timeline& left, const detail::Matches& matches) {
  Chosen out;
  for (const Strand& strand : left.strands()) {
    const std::size_t begin = out.left.size();
    for (std::size_t i = strand.begin; i < strand.end; ++i) {
      if (matches.rows[i] < 0) continue;
      out.left.push_back(static_cast<std::int64_t>(i));
      out.right.push_back(matches.rows[i]);
    }
    out.strands.push_back({strand.key, begin, out.left.size()});
  }
  out.match = out.left;
  return out;
}

/// Left rows and, between them, right records that no left row took; of one instant the left row
/// first.
Chosen all_rows(const Timeline& left, const Timeline& right, const Pairs& pairs,
                const detail::Matches& matches, const std::vector<std::uint8_t>& used) {
  Chosen out;
  const auto put = [&](std::int64_t of_left, std::int64_t of_right, bool matched) {
    out.left.push_back(of_left);
    out.right.push_back(of_right);
    out.match.push_back(matched ? of_left : -1);
  };
  const auto put_right_until = [&](std::size_t& at, const Strand& strand,
                                   std::optional<Instant> t) {
    for (; at < strand.end && (!t || right.times()[at] < *t); ++at) {
      if (used[at] == 0) put(-1, static_cast<std::int64_t>(at), false);
    }
  };
  for (std::size_t s = 0; s < left.strands().size(); ++s) {
    const Strand& strand = left.strands()[s];
    const std::size_t begin = out.left.size();
    const Strand none{};
    const Strand& its_strand = pairs.right_of[s] == nullptr ? none : *pairs.right_of[s];
    std::size_t at = its_strand.begin;
    for (std::size_t i = strand.begin; i < strand.end; ++i) {
      put_right_until(at, its_strand, left.times()[i]);
      put(static_cast<std::int64_t>(i), matches.rows[i], matches.rows[i] >= 0);
    }
    put_right_until(at, its_strand, std::nullopt);
    out.strands.push_back({strand.key, begin, out.left.size()});
  }
  for (const Strand* strand : pairs.right_alone) {
    const std::size_t begin = out.left.size();
    std::size_t at = strand->begin;
    put_right_until(at, *strand, std::nullopt);
    out.strands.push_back({strand->key, begin, out.left.size()});
  }
  return out;
}

/// Seconds from the matched record to the row; missing where there is none.
Column ages_of(const Timeline& left, const Timeline& right, const detail::Matches& matches) {
  Buffer<double> ages(left.rows());
  ValidityBuilder validity(left.rows());
  for (std::size_t i = 0; i < left.rows(); ++i) {
    ages[i] = 0;
    if (matches.rows[i] < 0) {
      validity.set_missing(i);
      continue;
    }
    ages[i] = detail::seconds_between(right.times()[static_cast<std::size_t>(matches.rows[i])],
                                      left.times()[i]);
  }
  return Column::numbers(std::move(ages), validity.take());
}

/// What the account says of one right side.
std::string told(const Timeline& left, const Timeline& right, const detail::MatchSummary& found) {
  std::string text = fmt::format("{}: {} rows matched, {} not", shown(right.name()),
                                 grouped(found.matched), grouped(found.unmatched));
  if (found.matched > 0 && found.largest_age_s > 0) {
    text += fmt::format(", {} apart (median), {} at most", length_text(found.median_age_s),
                        length_text(found.largest_age_s));
  }
  text += fmt::format("; {} of its {} records never used", grouped(found.never_used),
                      grouped(static_cast<std::int64_t>(right.rows())));
  if (found.matched > 0 || left.rows() == 0) return text;
  text = "NOTHING MATCHED: " + text;
  if (right.rows() == 0) return text + "; it has none";
  const auto span_of = [](const Timeline& timeline) {
    Instant first = Instant::max(), last = Instant::min();
    for (const Instant t : timeline.times()) {
      first = std::min(first, t);
      last = std::max(last, t);
    }
    return fmt::format("{} to {}", detail::time_text(first, timeline.axis()),
                       detail::time_text(last, timeline.axis()));
  };
  return text + fmt::format("; {} runs from {}, {} from {}", shown(left.name()), span_of(left),
                            shown(right.name()), span_of(right));
}

/// Joins one right side. `age` is the name of the column of ages, or empty.
Timeline join_one(const Timeline& left, const Timeline& right, const Join& options,
                  const std::string& age, StepTimer& timer) {
  if (!left.has_key() && right.has_key()) {
    fail_usage("{} has the key \"{}\" and {} has none; give {} a key too, or put {} on the left",
               right.name(), right.key_name(), left.name(), left.name(), right.name());
  }
  const bool all = options.keep == Join::Keep::all;
  if (all && left.has_key() && !right.has_key()) {
    fail_usage(
        "‹keep› all: {} has the key \"{}\" and {} has none, so its own rows would be of no key; "
        "give "
        "it one, or keep left",
        left.name(), left.key_name(), right.name());
  }
  const Pairs pairs = pairs_of(left, right);
  const auto matches = detail::match_rows(left, right, pairs.right_of, options);
  const auto found = detail::summary_of(left, right, matches);
  timer.note(told(left, right, found));

  const bool linear = options.match == Join::Match::linear;
  Timeline::Parts parts = left.parts();
  const auto add = [&](std::span<const std::int64_t> rows, std::span<const std::int64_t> after,
                       std::span<const double> share) {
    for (std::size_t i = 0; i < right.values().columns().size(); ++i) {
      const Column& column = right.values().columns()[i];
      parts.values.add(right.values().names()[i],
                       linear ? detail::blend(column, rows, after, share) : column.gather(rows));
    }
  };
  if (options.keep == Join::Keep::left) {
    add(matches.rows.span(), matches.after.span(), matches.share.span());
    if (!age.empty()) parts.values.add(age, ages_of(left, right, matches));
    return Timeline(std::move(parts));
  }

  Chosen chosen =
      all ? all_rows(left, right, pairs, matches, found.used) : matched_rows(left, matches);
  const std::size_t rows = chosen.left.size();
  parts.strands = std::move(chosen.strands);
  Buffer<Instant> times(rows);
  std::vector<std::int64_t> after;
  std::vector<double> share;
  for (std::size_t i = 0; i < rows; ++i) {
    times[i] = chosen.left[i] >= 0 ? left.times()[static_cast<std::size_t>(chosen.left[i])]
                                   : right.times()[static_cast<std::size_t>(chosen.right[i])];
    if (!linear) continue;
    const auto at = static_cast<std::size_t>(chosen.match[i]);
    after.push_back(chosen.match[i] < 0 ? -1 : matches.after[at]);
    share.push_back(chosen.match[i] < 0 ? 0 : matches.share[at]);
  }
  parts.times = Column::times(std::move(times));
  parts.values = left.values().gather(chosen.left);
  add(chosen.right, after, share);
  if (!age.empty()) {
    parts.values.add(age, ages_of(left, right, matches).gather(chosen.match));
  }
  return Timeline(std::move(parts));
}

/// What can't be read between is refused before anything is matched.
void check_between(std::span<const Timeline> rights) {
  for (const Timeline& right : rights) {
    for (std::size_t i = 0; i < right.values().columns().size(); ++i) {
      const Column& column = right.values().columns()[i];
      if (column.is_numeric()) continue;
      fail_usage(
          "‹match› linear: column \"{}\" holds {}, which can't be read between; leave it out "
          "with ‹columns›, or match otherwise",
          right.values().names()[i], to_text(column.type()));
    }
  }
}

std::vector<std::string> names_of_ages(std::span<const Timeline> rights) {
  if (rights.size() == 1) return {"age_s"};
  std::vector<std::string> names;
  for (const Timeline& right : rights) names.push_back("age_s_" + right.name());
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
  StepTimer timer(options, rows_in);
  for (const Timeline& right : rights) detail::check_axes(left, right);
  if (options.tolerance) check_on_axis(left.axis(), *options.tolerance, "‹tolerance›");
  if (options.match == Join::Match::linear) check_between(rights);
  const auto names = detail::settle_names(sides);
  const auto ages = options.age ? names_of_ages(rights) : std::vector<std::string>(rights.size());
  Timeline joined = detail::renamed(left, names[0]);
  for (std::size_t i = 0; i < rights.size(); ++i) {
    joined = join_one(joined, detail::renamed(rights[i], names[i + 1]), options, ages[i], timer);
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
    case Join::Match::earlier:
      return {far, {}};
    case Join::Match::next:
      return {{}, far};
    default:
      return {far, far};
  }
}

}  // namespace zerobeat
