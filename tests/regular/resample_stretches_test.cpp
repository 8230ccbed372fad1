// Buckets of a timeline that comes stretch by stretch, against the same of the whole.

#include <map>
#include <numeric>
#include <zerobeat/regular/resample.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

using std::chrono::minutes;

/// Rows in the order in which they arrive: by time, whatever their key.
std::vector<std::int64_t> arrivals(const Timeline& timeline) {
  std::vector<std::int64_t> rows(timeline.rows());
  std::iota(rows.begin(), rows.end(), 0);
  std::ranges::stable_sort(
      rows, {}, [&](std::int64_t row) { return timeline.times()[static_cast<std::size_t>(row)]; });
  return rows;
}

/// The strand of each row.
std::vector<std::size_t> strands_of(const Timeline& timeline) {
  std::vector<std::size_t> strands;
  for (std::size_t s = 0; s < timeline.strands().size(); ++s) {
    strands.insert(strands.end(), timeline.strands()[s].size(), s);
  }
  return strands;
}

/// Some rows of a timeline, in the order of arrival given, as a timeline of their own; `held` are
/// the strands that they are of, in order of first appearance.
Timeline rows_of(const Timeline& whole, const std::vector<std::int64_t>& rows,
                 std::vector<std::size_t>& held) {
  const auto strand_of = strands_of(whole);
  std::map<std::size_t, std::vector<std::int64_t>> by_strand;
  held.clear();
  for (const std::int64_t row : rows) {
    const std::size_t strand = strand_of[static_cast<std::size_t>(row)];
    if (!by_strand.contains(strand)) held.push_back(strand);
    by_strand[strand].push_back(row);
  }
  std::vector<std::int64_t> order;
  Timeline::Parts parts = whole.parts();
  parts.strands.clear();
  for (const std::size_t strand : held) {
    const std::size_t begin = order.size();
    std::ranges::sort(by_strand[strand]);
    order.insert(order.end(), by_strand[strand].begin(), by_strand[strand].end());
    parts.strands.push_back({whole.strands()[strand].key, begin, order.size()});
  }
  parts.times = whole.time_column().gather(order);
  parts.values = whole.values().gather(order);
  return Timeline(std::move(parts));
}

/// With strands in the order in which they first appear.
Timeline as_arrived(const Timeline& timeline) {
  std::vector<std::size_t> strands;
  return rows_of(timeline, arrivals(timeline), strands);
}

/// Without rows: what is known before and after them.
Timeline head_of(const Timeline& whole) {
  Timeline::Parts parts = whole.parts();
  parts.strands.clear();
  parts.times = whole.time_column().gather(std::vector<std::int64_t>());
  parts.values = Table(0);
  return Timeline(std::move(parts));
}

/// What comes of it in stretches of random lengths; unset when it can't be gone on with.
std::optional<Timeline> in_stretches(const Timeline& whole, const std::vector<std::int64_t>& rows,
                                     const Resample& options, unsigned seed) {
  const auto work = begin_stretches(options);
  REQUIRE(work);
  std::mt19937 random(seed);
  std::vector<std::int64_t> now;
  std::vector<std::size_t> strands;
  const auto strand_of = strands_of(whole);
  for (std::size_t at = 0; at < rows.size();) {
    const std::size_t end = std::min(rows.size(), at + 1 + random() % 90);
    now.insert(now.end(), rows.begin() + static_cast<std::ptrdiff_t>(at),
               rows.begin() + static_cast<std::ptrdiff_t>(end));
    at = end;
    const Timeline stretch = rows_of(whole, now, strands);
    const auto from = work->take(stretch, at == rows.size());
    if (!from) return std::nullopt;
    REQUIRE(from->size() == strands.size());
    std::erase_if(now, [&](std::int64_t row) {
      const auto place = std::ranges::find(strands, strand_of[static_cast<std::size_t>(row)]);
      return whole.times()[static_cast<std::size_t>(row)] <
             (*from)[static_cast<std::size_t>(place - strands.begin())];
    });
  }
  CHECK(now.empty());
  return work->finish(head_of(whole), static_cast<std::int64_t>(whole.rows())).timeline;
}

void check_same(const Timeline& found, const Timeline& wanted) {
  CHECK(std::ranges::equal(found.strands(), wanted.strands()));
  CHECK(found.time_column() == wanted.time_column());
  REQUIRE(found.values().names() == wanted.values().names());
  for (const auto& name : wanted.values().names()) {
    INFO(name);
    CHECK(found.values().column(name) == wanted.values().column(name));
  }
  const StepAccount &own = found.account().last(), &whole = wanted.account().last();
  CHECK(own.step == whole.step);
  CHECK(own.what == whole.what);
  CHECK(own.rows_in == whole.rows_in);
  CHECK(own.rows_out == whole.rows_out);
  CHECK(own.notes == whole.notes);
}

const std::vector<Take> all_kinds{
    mean("level"),          sum("level"),   count("level"),    take::std("level"), median("level"),
    first("level"),         last("level"),  min("level"),      max("level"),       range("level"),
    quantile("level", 0.9), slope("level"), skewness("level"), distinct("level"),  count()};

}  // namespace

TEST_CASE("buckets of stretches are those of the whole", "[resample]") {
  unsigned seed = 0;
  for (const int keys : {1, 2, 7}) {
    for (const double missing_share : {0.0, 0.3}) {
      const Timeline whole = as_arrived(random_timeline(1500, 40 + seed, keys, missing_share));
      for (const char* every : {"1min", "10min", "1h", "1d", "1month"}) {
        for (const auto edge : {Resample::Edge::start, Resample::Edge::end}) {
          for (const auto empty : {Resample::Empty::keep, Resample::Empty::skip}) {
            Resample options{.every = Every(every), .take = all_kinds};
            options.edge = edge;
            options.empty = empty;
            options.row_at = static_cast<Resample::RowAt>(seed % 3);
            INFO(every << " keys " << keys << " seed " << seed);
            const auto found = in_stretches(whole, arrivals(whole), options, ++seed);
            REQUIRE(found);
            check_same(*found, resample(whole, options));
          }
        }
      }
    }
  }
}

TEST_CASE("days of stretches go by the zone's clocks, also where these change", "[resample]") {
  Timeline::Parts parts = random_timeline(2000, 77, 1, 0.1).parts();
  Buffer<Instant> times(parts.times.times());
  // Half an hour from row to row, over the end of October.
  for (std::size_t i = 0; i < times.size(); ++i) {
    times[i] = clock("00:00") + minutes(30) * static_cast<int>(i / 4);
  }
  parts.times = Column::times(std::move(times));
  parts.zone = Zone::find("Europe/Dublin");
  const Timeline whole(std::move(parts));
  for (const char* every : {"1d", "3h", "1wk"}) {
    const Resample options{.every = Every(every), .take = all_kinds};
    const auto found = in_stretches(whole, arrivals(whole), options, 5);
    REQUIRE(found);
    check_same(*found, resample(whole, options));
  }
}

TEST_CASE("a row that belongs before what was done ends it", "[resample]") {
  const Timeline whole = as_arrived(random_timeline(600, 8, 2));
  auto rows = arrivals(whole);
  const Resample options{.every = minutes(1), .take = {mean("level")}};
  REQUIRE(in_stretches(whole, rows, options, 1));
  // The first rows come last.
  std::rotate(rows.begin(), rows.begin() + 5, rows.end());
  CHECK_FALSE(in_stretches(whole, rows, options, 1));
}

TEST_CASE("without takes the mean of every numeric column is taken, and the rest is told",
          "[resample]") {
  Timeline::Parts parts = random_timeline(400, 9).parts();
  std::vector<std::string> words(400, "calm");
  parts.values.add("sea", texts_of(words));
  const Timeline whole(std::move(parts));
  const Resample options{.every = minutes(10)};
  const auto found = in_stretches(whole, arrivals(whole), options, 3);
  REQUIRE(found);
  check_same(*found, resample(whole, options));
  REQUIRE(found->account().last().notes.size() == 1);
  CHECK_THAT(found->account().last().notes[0], Catch::Contains("sea"));
}

TEST_CASE("what looks beyond its bucket needs the whole", "[resample]") {
  const Resample plain{.every = minutes(10), .take = {mean("level")}};
  CHECK(begin_stretches(plain));
  const auto needs_whole = [&](auto&& change) {
    Resample changed = plain;
    change(changed);
    CHECK_FALSE(begin_stretches(changed));
  };
  needs_whole([](Resample& o) { o.take = {twmean("level")}; });
  needs_whole([](Resample& o) { o.take = {increase("level")}; });
  needs_whole([](Resample& o) { o.take = {mean("level"), up("level")}; });
  needs_whole([](Resample& o) { o.min_count = 2; });
  needs_whole([](Resample& o) { o.min_coverage = 0.5; });
  needs_whole([](Resample& o) { o.partial = Resample::Partial::drop; });
  needs_whole([](Resample& o) { o.span.kind = BucketSpan::Kind::all; });
  needs_whole([](Resample& o) { o.every = Every{Period(minutes(10)), Period(minutes(60))}; });
  needs_whole([](Resample& o) { o.every = ByCount{10}; });
  needs_whole([](Resample& o) { o.every = EqualBuckets{10}; });
}

TEST_CASE("mostly empty buckets are left to the whole", "[resample]") {
  const Timeline whole = strand("2000-01-01T00:00:00Z 1", "2001-01-01T00:00:00Z 2");
  const Resample options{.every = std::chrono::seconds(1), .take = {mean("level")}};
  CHECK_FALSE(in_stretches(whole, arrivals(whole), options, 1));
  Resample skipping = options;
  skipping.empty = Resample::Empty::skip;
  const auto found = in_stretches(whole, arrivals(whole), skipping, 1);
  REQUIRE(found);
  check_same(*found, resample(whole, skipping));
}

}  // namespace zerobeat::testing
