#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <unordered_map>
#include <zerobeat/align/align.hpp>
#include <zerobeat/align/join.hpp>
#include <zerobeat/base/text.hpp>
#include <zerobeat/table/step_timer.hpp>

#include "align/match.hpp"
#include "align/sides.hpp"
#include "base/names.hpp"
#include "base/trim.hpp"
#include "base/wide.hpp"
#include "kernel/bucket/taken.hpp"

namespace zerobeat::inline v1 {

namespace {

using How = Method::How;

bool is_statistic(How how) { return how >= How::sum; }

/// Methods that are statistics have their words.
Stat stat_of(How how) {
  Stat stat{};
  from_text(to_text(how), stat);
  return stat;
}

bool is_of_numbers(How how) {
  return how == How::linear || (is_statistic(how) && !row_of(stat_of(how)).of_any_type);
}

Join::Match match_of(How how) {
  switch (how) {
    case How::exact:
      return Join::Match::exact;
    case How::previous:
      return Join::Match::previous;
    case How::next:
      return Join::Match::next;
    case How::nearest:
      return Join::Match::nearest;
    default:
      return Join::Match::linear;
  }
}

/// The strands of one key: of each timeline the one that goes with it, or null.
struct Group {
  std::optional<std::string> key;
  std::vector<const Strand*> strands;
};

std::vector<Group> groups_of(std::span<const Timeline> timelines) {
  std::vector<Group> groups;
  std::unordered_map<std::string_view, std::size_t> place_of;
  for (std::size_t t = 0; t < timelines.size(); ++t) {
    if (!timelines[t].has_key()) continue;
    for (const Strand& strand : timelines[t].strands()) {
      const auto [at, is_new] = place_of.try_emplace(*strand.key, groups.size());
      if (is_new) groups.push_back({strand.key, std::vector<const Strand*>(timelines.size())});
      groups[at->second].strands[t] = &strand;
    }
  }
  const bool keyed = std::ranges::any_of(timelines, &Timeline::has_key);
  if (!keyed) groups.push_back({std::nullopt, std::vector<const Strand*>(timelines.size())});
  for (std::size_t t = 0; t < timelines.size(); ++t) {
    if (timelines[t].has_key() || timelines[t].strands().empty()) continue;
    for (Group& group : groups) group.strands[t] = &timelines[t].strands()[0];
  }
  return groups;
}

/// From the first to the last record of a group, and where all have begun and none has ended.
struct Extents {
  Instant first = Instant::max(), last = Instant::min();
  Instant common_first = Instant::min(), common_last = Instant::max();
  bool any = false, all = true;
};

Extents extents_of(std::span<const Timeline> timelines, const Group& group) {
  Extents out;
  for (std::size_t t = 0; t < timelines.size(); ++t) {
    const Strand* strand = group.strands[t];
    if (strand == nullptr || strand->size() == 0) {
      out.all = false;
      continue;
    }
    const Instant first = timelines[t].times()[strand->begin];
    const Instant last = timelines[t].times()[strand->end - 1];
    out.any = true;
    out.first = std::min(out.first, first);
    out.last = std::max(out.last, last);
    out.common_first = std::max(out.common_first, first);
    out.common_last = std::min(out.common_last, last);
  }
  return out;
}

std::vector<Instant> each_once(std::span<const Instant> times) {
  std::vector<Instant> out;
  std::ranges::unique_copy(times, std::back_inserter(out));
  return out;
}

/// The axis of each group.
class AxisMaker {
 public:
  AxisMaker(std::span<const Timeline> timelines, const Align& options)
      : timelines_(timelines), options_(options) {
    if (const auto* period = std::get_if<Period>(&options.onto)) {
      check_on_axis(timelines[0].axis(), *period, "‹onto›");
      if (options.anchor) need_instants(timelines[0].axis(), "‹anchor›");
      GridOptions grid{.zone = timelines[0].zone(),
                       .week_starts = options.week_starts.value_or(WeekStart::mon)};
      if (options.anchor) grid.anchor = options.anchor->in(timelines[0].zone());
      grid_.emplace(*period, grid);
    }
    if (const auto* times = std::get_if<TimesOf>(&options.onto)) source_ = source_of(times->source);
  }

  std::vector<Instant> operator()(const Group& group) {
    const Extents extents = extents_of(timelines_, group);
    const bool common = options_.span == Align::Span::common;
    if (!extents.any || (common && (!extents.all || extents.common_first > extents.common_last))) {
      return {};
    }
    if (grid_) return edges_of(extents, common);
    std::vector<Instant> times = instants_of(group, extents);
    if (common) {
      std::erase_if(times,
                    [&](Instant t) { return t < extents.common_first || t > extents.common_last; });
    }
    return times;
  }

  const std::optional<Grid>& grid() const { return grid_; }

 private:
  std::size_t source_of(const std::string& name) const {
    std::vector<std::string> names{"union", "common"};
    for (std::size_t t = 0; t < timelines_.size(); ++t) {
      if (timelines_[t].name() == name) return t;
      names.push_back(timelines_[t].name());
    }
    fail_usage("‹onto› {}: it is no period, and no source here{}", shown(name),
               did_you_mean(name, names));
  }

  std::vector<Instant> edges_of(const Extents& extents, bool common) {
    std::int64_t first = grid_->index_of(common ? extents.common_first : extents.first);
    if (common && grid_->edge(first) < extents.common_first) ++first;
    const std::int64_t last = grid_->index_of(common ? extents.common_last : extents.last);
    constexpr Wide most = 1'000'000'000;
    rows_ += std::max<Wide>(0, Wide(last) - first + 1);
    if (rows_ > most) {
      fail_usage("‹onto› {} would make more than {} rows; take a longer period",
                 to_text(options_.onto), grouped(static_cast<std::int64_t>(most)));
    }
    std::vector<Instant> edges;
    for (std::int64_t n = first; n <= last; ++n) edges.push_back(grid_->edge(n));
    return edges;
  }

  std::vector<Instant> instants_of(const Group& group, const Extents& extents) const {
    const auto times_of = [&](std::size_t t) {
      const Strand* strand = group.strands[t];
      if (strand == nullptr) return std::vector<Instant>();
      return each_once(timelines_[t].times().subspan(strand->begin, strand->size()));
    };
    if (std::holds_alternative<TimesOf>(options_.onto)) return times_of(source_);
    const bool common = std::holds_alternative<CommonInstants>(options_.onto);
    if (common && !extents.all) return {};
    std::vector<Instant> all = times_of(0);
    for (std::size_t t = 1; t < timelines_.size(); ++t) {
      std::vector<Instant> both;
      const auto times = times_of(t);
      if (common) {
        std::ranges::set_intersection(all, times, std::back_inserter(both));
      } else {
        std::ranges::set_union(all, times, std::back_inserter(both));
      }
      all = std::move(both);
    }
    return all;
  }

  std::span<const Timeline> timelines_;
  const Align& options_;
  std::optional<Grid> grid_;
  std::size_t source_ = 0;
  Wide rows_ = 0;
};

/// Which method each column has, the more specific one; and what can't be is refused.
class Methods {
 public:
  Methods(std::span<const Timeline> timelines, const Align& options)
      : options_(options), on_grid_(std::holds_alternative<Period>(options.onto)) {
    std::vector<std::string> names;
    for (const Timeline& timeline : timelines) names.push_back(timeline.name());
    for (std::size_t i = 0; i < options.how.size(); ++i) {
      const Method& method = options.how[i];
      if (is_statistic(method.how) && !on_grid_) {
        fail_usage("‹how› {}: a statistic is of a grid's buckets; ‹onto› is {}", to_text(method),
                   to_text(options.onto));
      }
      for (std::size_t k = 0; k < i; ++k) {
        if (options.how[k].source == method.source && options.how[k].column == method.column) {
          fail_usage("‹how›: {} and {} are for the same", to_text(options.how[k]), to_text(method));
        }
      }
      if (method.source.empty()) continue;
      const auto at = std::ranges::find(names, method.source);
      if (at == names.end()) {
        fail_usage("‹how› {}: {} is not a source here{}", to_text(method), shown(method.source),
                   did_you_mean(method.source, names));
      }
      if (method.column.empty()) continue;
      const Timeline& timeline = timelines[static_cast<std::size_t>(at - names.begin())];
      check_column(method, timeline.values().column(method.column));
    }
  }

  How of(const std::string& source, const std::string& name, const Column& column) const {
    std::optional<How> chosen;
    std::size_t rank = 0;
    for (const Method& method : options_.how) {
      if (!method.source.empty() && method.source != source) continue;
      if (!method.column.empty() && method.column != name) continue;
      // What is not for a column by name goes for texts, too, where it fits them.
      if (method.column.empty() && !column.is_numeric() && is_of_numbers(method.how)) continue;
      const std::size_t own = 1 + !method.source.empty() + 2 * !method.column.empty();
      if (own > rank) {
        chosen = method.how;
        rank = own;
      }
    }
    return chosen.value_or(column.is_numeric() ? How::linear : How::previous);
  }

 private:
  static void check_column(const Method& method, const Column& column) {
    if (is_of_numbers(method.how) && !column.is_numeric()) {
      fail_usage("‹how› {}: column \"{}\" holds {}, not numbers", to_text(method),
                 shown(method.column), to_text(column.type()));
    }
  }

  const Align& options_;
  bool on_grid_;
};

/// The rows of one column that have a reading, as a timeline; the whole one when all have.
Timeline readings_of(const Timeline& timeline, const Column& column) {
  Timeline::Parts parts = timeline.parts();
  parts.values = Table(timeline.rows());
  parts.values.add("x", column);
  if (column.validity().all()) return Timeline(std::move(parts));
  std::vector<std::int64_t> rows;
  for (Strand& strand : parts.strands) {
    const std::size_t begin = rows.size();
    for (std::size_t row = strand.begin; row < strand.end; ++row) {
      if (column.valid(row)) rows.push_back(static_cast<std::int64_t>(row));
    }
    strand.begin = begin;
    strand.end = rows.size();
  }
  parts.times = parts.times.gather(rows);
  parts.values = parts.values.gather(rows);
  return Timeline(std::move(parts));
}

/// Brings the columns of one timeline onto the axis.
class Bringing {
 public:
  /// `axis` has a strand for each group, in their order.
  Bringing(const Timeline& axis, const std::vector<Group>& groups, std::size_t place,
           const Timeline& timeline, const Align& options, const std::optional<Grid>& grid)
      : axis_(axis),
        groups_(groups),
        place_(place),
        timeline_(timeline),
        options_(options),
        grid_(grid) {}

  Column operator()(const std::string& name, const Column& column, How how) {
    return is_statistic(how) ? of_buckets(name, how) : at_times(column, how);
  }

 private:
  Column at_times(const Column& column, How how) {
    const Join join{.match = match_of(how), .tolerance = options_.tolerance};
    if (column.validity().all()) {
      // Columns without a missing reading are matched once for each method.
      auto& matches = of_all_[how];
      if (!matches) {
        matches = detail::match_rows(axis_, timeline_, strands_of(timeline_.strands()), join);
      }
      return taken(column, *matches, how);
    }
    const Timeline readings = readings_of(timeline_, column);
    const auto matches = detail::match_rows(axis_, readings, strands_of(readings.strands()), join);
    return taken(readings.values().columns()[0], matches, how);
  }

  static Column taken(const Column& column, const detail::Matches& matches, How how) {
    if (how != How::linear) return column.gather(matches.rows.span());
    return detail::blend(column, matches.rows.span(), matches.after.span(), matches.share.span());
  }

  /// Of each group the strand in `strands`, which are the timeline's own in their order.
  std::vector<const Strand*> strands_of(std::span<const Strand> strands) const {
    std::vector<const Strand*> out;
    for (const Group& group : groups_) {
      const Strand* strand = group.strands[place_];
      out.push_back(strand == nullptr ? nullptr : &strands[strand - timeline_.strands().data()]);
    }
    return out;
  }

  Column of_buckets(const std::string& name, How how) {
    if (!buckets_) find_buckets();
    const std::vector<Take> takes{Take{.stat = stat_of(how), .column = name, .name = name}};
    return detail::take_all(timeline_, *buckets_, takes, {}).columns[0];
  }

  /// A bucket for each row of the axis: the rows from its edge to before the next.
  void find_buckets() {
    buckets_.emplace();
    const auto times = timeline_.times();
    for (std::size_t g = 0; g < groups_.size(); ++g) {
      const Strand& its_strand = axis_.strands()[g];
      const Strand* strand = groups_[g].strands[place_];
      const std::size_t begin = buckets_->all.size();
      std::size_t at = strand == nullptr ? 0 : strand->begin;
      for (std::size_t row = its_strand.begin; row < its_strand.end; ++row) {
        detail::Bucket bucket;
        bucket.start = axis_.times()[row];
        bucket.stop = row + 1 < its_strand.end ? axis_.times()[row + 1]
                                               : grid_->end(grid_->index_of(bucket.start));
        bucket.strand = static_cast<std::uint32_t>(g);
        if (strand != nullptr) {
          while (at < strand->end && times[at] < bucket.start) ++at;
          bucket.begin = at;
          while (at < strand->end && times[at] < bucket.stop) ++at;
          bucket.end = at;
        }
        buckets_->all.push_back(bucket);
      }
      buckets_->strands.push_back({its_strand.key, begin, buckets_->all.size()});
    }
  }

  const Timeline& axis_;
  const std::vector<Group>& groups_;
  std::size_t place_;
  const Timeline& timeline_;
  const Align& options_;
  const std::optional<Grid>& grid_;
  std::map<How, std::optional<detail::Matches>> of_all_;
  std::optional<detail::Buckets> buckets_;
};

void check(std::span<const Timeline> timelines, const Align& options) {
  if (timelines.empty()) fail_usage("align needs sources: align SOURCE SOURCE…");
  const bool on_grid = std::holds_alternative<Period>(options.onto);
  if (std::holds_alternative<std::monostate>(options.onto)) {
    fail_usage(
        "align takes ‹onto›: a period, like 15min, union, common, or the name of the source whose "
        "times are the axis");
  }
  if (!on_grid && (options.anchor || options.week_starts)) {
    fail_usage("‹anchor› and ‹week_starts› go with a grid: ‹onto› PERIOD");
  }
  if (options.anchor && options.week_starts) {
    fail_usage("‹anchor› and ‹week_starts› contradict each other: both say where a week starts");
  }
  const auto* period = std::get_if<Period>(&options.onto);
  if (options.week_starts && (period->days == 0 || period->days % 7 != 0)) {
    fail_usage("‹week_starts› goes with periods of weeks, like ‹onto› 1wk");
  }
  for (std::size_t t = 1; t < timelines.size(); ++t) {
    detail::check_axes(timelines[0], timelines[t]);
    for (std::size_t k = 0; k < t; ++k) {
      if (timelines[k].name() == timelines[t].name()) {
        fail_usage("two sources are named {}; methods could not tell them apart",
                   shown(timelines[t].name()));
      }
    }
  }
  if (options.tolerance) check_on_axis(timelines[0].axis(), *options.tolerance, "‹tolerance›");
}

/// "tide: 1,140 of 1,152 rows have a reading".
std::string told(const Timeline& timeline, const std::vector<Column>& columns, std::size_t rows) {
  std::size_t with = 0;
  for (std::size_t row = 0; row < rows; ++row) {
    with += std::ranges::any_of(columns, [&](const Column& column) { return column.valid(row); });
  }
  std::string text = fmt::format("{}: {} of {} rows have a reading", shown(timeline.name()),
                                 grouped(static_cast<std::int64_t>(with)),
                                 grouped(static_cast<std::int64_t>(rows)));
  return with == 0 && rows > 0 ? "NOTHING MATCHED: " + text : text;
}

}  // namespace

void from_text(std::string_view text, Onto& out) {
  if (text.empty()) fail_usage("an axis is a period, union, common, or a source's name");
  if (text == "union") {
    out = AllInstants{};
  } else if (text == "common") {
    out = CommonInstants{};
  } else {
    try {
      Period period;
      from_text(text, period);
      if (period.is_zero()) fail_usage("a grid's period is longer than zero");
      out = period;
    } catch (const Error&) {
      // What begins with a digit was meant for a period; of a name the sources decide.
      if (text[0] >= '0' && text[0] <= '9') throw;
      out = TimesOf{std::string(text)};
    }
  }
}

std::string to_text(const Onto& onto) {
  if (const auto* period = std::get_if<Period>(&onto)) return to_text(*period);
  if (const auto* times = std::get_if<TimesOf>(&onto)) return times->source;
  if (std::holds_alternative<AllInstants>(onto)) return "union";
  return std::holds_alternative<CommonInstants>(onto) ? "common" : "";
}

void from_text(std::string_view text, Method& out) {
  Method read;
  std::string_view rest = detail::trim(text);
  const std::size_t quoted = rest.starts_with('"') ? detail::end_of_quotes(rest, 0) : 0;
  if (const std::size_t colon = rest.find(':', quoted); colon != std::string_view::npos) {
    read.source = detail::unquoted(detail::trim(rest.substr(0, colon)));
    rest = detail::trim(rest.substr(colon + 1));
    if (read.source.empty()) fail_usage("\"{}\" has no source before its colon", shown(text));
  }
  if (const std::size_t equals = rest.rfind('='); equals != std::string_view::npos) {
    read.column = detail::unquoted(detail::trim(rest.substr(0, equals)));
    rest = detail::trim(rest.substr(equals + 1));
    if (read.column.empty() || read.source.empty()) {
      fail_usage("\"{}\": a column's method is written NAME:COLUMN=METHOD", shown(text));
    }
  }
  static constexpr Synonym synonyms[] = {
      {"avg", "mean"}, {"average", "mean"}, {"interpolate", "linear"}, {"n", "count"}};
  const auto words = enum_words(How{});
  const auto known = std::ranges::find(words, rest);
  if (known == words.end()) {
    const std::vector<std::string> candidates(words.begin(), words.end());
    fail_usage("\"{}\" is not a method{}", shown(rest), did_you_mean(rest, candidates, synonyms));
  }
  read.how = static_cast<How>(known - words.begin());
  out = std::move(read);
}

std::string to_text(const Method& method) {
  constexpr std::string_view marks = ",()=:";
  std::string text =
      method.source.empty() ? "" : detail::quoted_where_needed(method.source, marks) + ":";
  if (!method.column.empty()) text += detail::quoted_where_needed(method.column, marks) + "=";
  return text + to_text(method.how);
}

void from_text(std::string_view text, std::vector<Method>& out) {
  std::vector<Method> read;
  for (const auto& part : split_commas(text)) from_text(part, read.emplace_back());
  out = std::move(read);
}

std::string to_text(const std::vector<Method>& methods) {
  std::string text;
  for (const Method& method : methods) text += (text.empty() ? "" : ",") + to_text(method);
  return text;
}

Timeline align(std::span<const Timeline> timelines, const Align& options) {
  std::int64_t rows_in = 0;
  for (const Timeline& timeline : timelines) rows_in += static_cast<std::int64_t>(timeline.rows());
  StepTimer timer(options, rows_in);
  check(timelines, options);
  const Methods methods(timelines, options);
  const auto groups = groups_of(timelines);
  AxisMaker make_axis(timelines, options);

  // The axis alone.
  Timeline::Parts parts = timelines[0].parts();
  parts.strands.clear();
  parts.account = {};
  for (const Timeline& timeline : timelines) {
    add_to(parts.account, timeline.account());
    if (parts.key_name.empty() && timeline.has_key()) parts.key_name = timeline.key_name();
  }
  std::vector<Instant> times;
  for (const Group& group : groups) {
    const auto own = make_axis(group);
    parts.strands.push_back({group.key, times.size(), times.size() + own.size()});
    times.insert(times.end(), own.begin(), own.end());
  }
  parts.times = Column::times(Buffer<Instant>(std::span<const Instant>(times)));
  parts.values = Table(times.size());
  const Timeline axis(parts);

  std::vector<const Timeline*> sides;
  for (const Timeline& timeline : timelines) sides.push_back(&timeline);
  const auto names = detail::settle_names(sides);
  for (std::size_t t = 0; t < timelines.size(); ++t) {
    const Timeline& timeline = timelines[t];
    Bringing bring(axis, groups, t, timeline, options, make_axis.grid());
    std::vector<Column> columns;
    for (std::size_t c = 0; c < names[t].size(); ++c) {
      const std::string& name = timeline.values().names()[c];
      const Column& column = timeline.values().columns()[c];
      columns.push_back(bring(name, column, methods.of(timeline.name(), name, column)));
      parts.values.add(names[t][c], columns.back());
    }
    timer.note(told(timeline, columns, times.size()));
  }
  return timer.finish(std::move(parts));
}

Made apply(std::span<const Timeline> in, const Align& options) { return Made(align(in, options)); }

Reach reach(const Align& options) {
  const ReachSide far =
      options.tolerance ? ReachSide::of(Extent(*options.tolerance)) : ReachSide::whole();
  // Where the axis begins and ends is known from all records.
  const bool whole = std::holds_alternative<Period>(options.onto) ||
                     std::holds_alternative<std::monostate>(options.onto) ||
                     options.span == Align::Span::common;
  if (whole) return {ReachSide::whole(), ReachSide::whole()};
  std::vector<How> all;
  bool of_numbers = false, of_texts = false;  // whether a method is for all of them
  for (const Method& method : options.how) {
    all.push_back(method.how);
    if (!method.source.empty() || !method.column.empty()) continue;
    of_numbers = true;
    of_texts = !is_of_numbers(method.how);
  }
  if (!of_numbers) all.push_back(How::linear);
  if (!of_texts) all.push_back(How::previous);
  Reach reach;
  for (const How how : all) {
    const bool back = how == How::previous || how == How::nearest || how == How::linear;
    const bool ahead = how == How::next || how == How::nearest || how == How::linear;
    if (back) reach.back = far;
    if (ahead) reach.ahead = far;
  }
  return reach;
}

}  // namespace zerobeat
