// Records one by one: places, types, faults and the account, and what becomes of them.

#include <cmath>
#include <zerobeat/judge/judge.hpp>
#include <zerobeat/judge/records_builder.hpp>
#include <zerobeat/regular/resample.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

TEST_CASE("records that are added one by one are as a reader's", "[records]") {
  RecordsBuilder feed("feed", {"value"}, "sensor");
  feed.add(clock("00:10"), "a", {1.5});
  feed.add(clock("00:00"), "b", {2.0});
  feed.reject(Reason::broken_record, "{\"t\": 17, ");
  feed.add(clock("00:05"), "a", {std::nan("")});
  feed.add(clock("00:20"), "", {4.0});
  CHECK(feed.size() == 5);
  const Records records = std::move(feed).take();
  REQUIRE(records.size() == 3);
  CHECK(records.name == "feed");
  CHECK(records.keys->text(1) == "b");
  CHECK_FALSE(records.values.column("value").valid(2));
  CHECK(records.places->line(2) == 4);

  const SourceAccount& account = *records.source;
  CHECK(account.records == 5);
  CHECK(account.kept == 3);
  CHECK(account.rejected == 2);
  REQUIRE(account.faults.size() == 2);
  CHECK(account.faults[0].line == 3);
  CHECK(account.faults[0].reason == Reason::broken_record);
  CHECK(account.text_of(account.faults[0]) == "{\"t\": 17, ");
  CHECK(account.faults[1].reason == Reason::missing_key);
  CHECK(account.text_of(account.faults[1]) == "2025-10-20T00:20:00Z,4");
  CHECK_THAT(to_text(records.account()),
             Catch::StartsWith("feed: 5 records = 3 kept + 2 rejected + 0 merged"));

  const Timeline settled = settle(records);
  CHECK(settled.strands().size() == 2);
  CHECK(clocks(settled) == std::vector<std::string>{"00:05", "00:10", "00:00"});
  CHECK(readings(settled, "value") == Readings{missing, 1.5, 2});
  // Duplicates, findings and what else looks at places work on them.
  CHECK(settle(records, {.duplicates = Duplicates::reject}).account().kept() == 3);
  CHECK(judge(records).account->records == 5);
}

TEST_CASE("the first reading of a column decides its type", "[records]") {
  RecordsBuilder feed("feed", {"n", "x", "open", "gear"});
  const Reading none;
  feed.add(clock("00:00"), {none, none, none, none});
  feed.add(clock("00:01"), {std::int64_t{4}, std::int64_t{1}, true, std::string_view("net")});
  feed.add(clock("00:02"), {std::int64_t{5}, 2.5, false, std::string_view("line")});
  feed.add(clock("00:03"), {std::string_view("six"), std::int64_t{3}, 1.0, none});
  const Records records = std::move(feed).take();
  const Table& values = records.values;
  CHECK(values.column("n") == integers_of({missing, 4, 5, missing}));
  CHECK(values.column("x") == column_of({missing, 1, 2.5, 3}));
  CHECK(values.column("open").type() == Column::Type::boolean);
  CHECK(values.column("open").boolean(1));
  CHECK_FALSE(values.column("open").valid(3));
  CHECK(values.column("gear") == texts_of({"", "net", "line", ""}));
  // Two readings at fault, of one record that stays.
  const SourceAccount& account = *records.source;
  CHECK(account.kept == 4);
  CHECK(account.records_with_unreadable == 1);
  REQUIRE(account.faults.size() == 2);
  CHECK(account.faults[0].line == 4);
  CHECK(account.column_of(account.faults[0]) == "n");
  CHECK(account.text_of(account.faults[0]) == "six");
  CHECK(account.column_of(account.faults[1]) == "open");
  CHECK(account.text_of(account.faults[1]) == "1");
}

TEST_CASE("a builder says what does not fit, and adds nothing then", "[records]") {
  RecordsBuilder feed("feed", {"value"});
  CHECK(usage([&] {
          feed.add(clock("00:00"), {1.0, 2.0});
        }) == "feed: a record of 2 readings, for 1 columns");
  CHECK_THAT(usage([&] { feed.add(clock("00:00"), "a", {1.0}); }),
             Catch::Contains("no key has a name"));
  CHECK_THAT(usage([&] { feed.reject(Reason::unreadable_reading, "x"); }),
             Catch::Contains("is not rejected for a reading"));
  CHECK(feed.size() == 0);
  CHECK_THAT(usage([] {
               RecordsBuilder("feed", {"a", "a"});
             }),
             Catch::Contains("two columns would be named a"));
  CHECK_THAT(usage([] { RecordsBuilder("feed", {"a"}, "a"); }), Catch::Contains("two columns"));
  // It may be used again.
  feed.add(clock("00:00"), {1.0});
  CHECK(std::move(feed).take().size() == 1);
  CHECK(feed.size() == 0);  // NOLINT: that is what is asked
  feed.add(clock("00:10"), {3.0});
  const Records again = std::move(feed).take();
  CHECK(again.source->records == 1);
  CHECK(again.values.column("value").numbers()[0] == 3);
  RecordsBuilder taken = std::move(feed);
  CHECK_THAT(usage([&] { feed.add(clock("00:00"), {1.0}); }),
             Catch::Contains("moved from"));  // NOLINT
}

TEST_CASE("records that are not whole are not settled", "[records]") {
  const auto settled = [](const Records& records) {
    return usage([&] { static_cast<void>(settle(records)); });
  };
  RecordsBuilder feed("feed", {"value"}, "sensor");
  feed.add(clock("00:10"), "a", {1.5});
  feed.add(clock("00:20"), "b", {2.5});
  const Records good = std::move(feed).take();
  Records records = good;
  records.places.reset();
  CHECK(settled(records) ==
        "records of feed: they have no places, or not as many as there are; RecordsBuilder makes "
        "whole ones");
  records = good;
  records.source.reset();
  CHECK_THAT(settled(records), Catch::Contains("they have no account"));
  records = good;
  records.values = Table(1);
  CHECK_THAT(settled(records), Catch::Contains("of another number of rows"));
  records = good;
  records.keys.reset();
  CHECK_THAT(settled(records), Catch::Contains("a key's name and no keys"));
  records = good;
  records.times = column_of({1, 2});
  CHECK_THAT(settled(records), Catch::Contains("their times are no times"));
  CHECK_THAT(usage([] { static_cast<void>(judge(Records{})); }), Catch::Contains("no account"));
}

TEST_CASE("records settle by themselves when a step is applied", "[records]") {
  RecordsBuilder feed("feed", {"value"});
  feed.add(clock("00:40"), {4.0});
  feed.add(clock("00:10"), {2.0});
  feed.add(clock("01:10"), {8.0});
  const Records records = std::move(feed).take();
  const Timeline hours = records | Resample{.every = "1h"};
  CHECK(readings(hours, "value_mean") == Readings{3, 8});
  CHECK((records | Settle{.duplicates = Duplicates::first}).account().steps.size() == 1);
}

}  // namespace zerobeat::testing
