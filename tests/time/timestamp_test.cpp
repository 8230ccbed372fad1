#include <fmt/format.h>

#include <algorithm>

#include "support/strand.hpp"
#include "time/civil_text.hpp"
#include "time/layouts.hpp"
#include "time/same_day.hpp"

namespace zerobeat::testing {

namespace {

using namespace std::chrono;
using namespace std::chrono_literals;
using Kind = TimeFormat::Kind;

TimeFormat format(const std::string& text) {
  TimeFormat out;
  from_text(text, out);
  return out;
}

TimeReading read(const std::string& text, const std::string& how = "iso", const Zone& zone = {},
                 Repeated repeated = Repeated::reject, Skipped skipped = Skipped::reject) {
  TimestampReader reader(
      {.format = format(how), .zone = zone, .repeated = repeated, .skipped = skipped});
  return reader.read(text);
}

std::string shown(const std::string& text, const std::string& how = "iso", const Zone& zone = {}) {
  const TimeReading reading = read(text, how, zone);
  return reading.verdict == TimeVerdict::ok ? to_text(reading.instant, 9).substr(0, 29) : "none";
}

}  // namespace

TEST_CASE("ISO 8601 is read in all its forms", "[timestamp]") {
  CHECK(shown("2025-10-26T01:30:00Z") == "2025-10-26T01:30:00.000000000");
  CHECK(shown("2025-10-26 01:30:00.5") == "2025-10-26T01:30:00.500000000");
  CHECK(shown("2025-10-26t01:30:00,123456789z") == "2025-10-26T01:30:00.123456789");
  CHECK(shown("2025-10-26T01:30:00+05:30") == "2025-10-25T20:00:00.000000000");
  CHECK(shown("2025-10-26T01:30:00-0130") == "2025-10-26T03:00:00.000000000");
  CHECK(shown("2025-10-26T01:30:00+01") == "2025-10-26T00:30:00.000000000");
  CHECK(shown("2025-10-26T01:30") == "2025-10-26T01:30:00.000000000");
  CHECK(shown("20251026T013000Z") == "2025-10-26T01:30:00.000000000");
  CHECK(shown("2025-10-26") == "2025-10-26T00:00:00.000000000");
  CHECK(shown("2025-10") == "2025-10-01T00:00:00.000000000");
  CHECK(shown("2025") == "2025-01-01T00:00:00.000000000");
  CHECK(shown("2025-Q3") == "2025-07-01T00:00:00.000000000");
  CHECK(shown("2025-W43-7") == "2025-10-26T00:00:00.000000000");
  CHECK(shown("2025-299") == "2025-10-26T00:00:00.000000000");
  CHECK(shown("2025-10-25T24:00:00Z") == "2025-10-26T00:00:00.000000000");
  CHECK(shown("  2025-10-26T01:30:00Z ") == "2025-10-26T01:30:00.000000000");
  CHECK(shown("1969-12-31T23:59:59.999Z") == "1969-12-31T23:59:59.999000000");
}

TEST_CASE("what is no time is told from what can't be one", "[timestamp]") {
  for (const char* text : {"", "soon", "2025-1-2", "2025-10-26T1:30:00", "2025-10-26T01:30:00.",
                           "2025-10-26T01:30:00Zx", "2025-10-26T", "12025-10-26", "2025/10/26",
                           "2025-10-26T01:30:00+1"}) {
    INFO(text);
    CHECK(read(text).verdict == TimeVerdict::unreadable);
  }
  for (const char* text : {"2025-02-30", "2025-13-01T00:00:00Z", "2025-10-26T25:00:00Z",
                           "2025-10-26T23:60:00Z", "2016-12-31T23:59:60Z", "2025-02-29T10:00:00.5Z",
                           "2025-W53-1", "2025-366", "2025-10-26T24:00:01Z"}) {
    INFO(text);
    CHECK(read(text).verdict == TimeVerdict::impossible);
  }
  CHECK(read("1677-09-21T00:12:43Z").verdict == TimeVerdict::out_of_range);
  CHECK(read("1677-09-21T00:12:43.145224193Z").verdict == TimeVerdict::ok);
  CHECK(read("2262-04-11T23:47:16.854775807Z").verdict == TimeVerdict::ok);
  CHECK(read("2262-04-11T23:47:16.854775808Z").verdict == TimeVerdict::out_of_range);
  CHECK(read("9999-12-31T23:59:59Z").verdict == TimeVerdict::out_of_range);
}

TEST_CASE("digits past the nanosecond are cut and counted", "[timestamp]") {
  TimestampReader reader({.format = format("iso")});
  CHECK(reader.read("2025-10-26T01:30:00.1234567899Z").instant ==
        at("2025-10-26T01:30:00.123456789Z"));
  CHECK(reader.counts().digits_cut == 1);
}

TEST_CASE("the fast layout agrees with the plain reader on all texts", "[timestamp]") {
  std::mt19937 random(11);
  const std::string letters = "0123456789012345678901234-:T .Z+,tz";
  detail::IsoLayout layout;
  int fast = 0;
  for (int i = 0; i < 200'000; ++i) {
    std::string text =
        fmt::format("20{:02}-{:02}-{:02}T{:02}:{:02}:{:02}", random() % 100, random() % 14,
                    random() % 33, random() % 26, random() % 62, random() % 62);
    if (random() % 2 == 0) text += fmt::format(".{}", random() % 1000);
    if (random() % 2 == 0) text += "Z";
    for (unsigned k = random() % 3; k > 0; --k)
      text[random() % text.size()] = letters[random() % letters.size()];
    detail::LayoutTime result;
    if (!layout.read(text.data(), text.size(), result)) continue;
    ++fast;
    TimestampReader::Civil civil;
    INFO(text);
    REQUIRE(detail::read_iso(text, civil) == TimeVerdict::ok);
    REQUIRE(result.seconds == civil.seconds);
    REQUIRE(result.nanoseconds == civil.nanoseconds);
    REQUIRE(result.has_offset == civil.has_offset);
  }
  CHECK(fast > 10'000);
}

TEST_CASE("epochs are whole or decimal, negative too", "[timestamp]") {
  CHECK(shown("1761442200", "epoch-s") == "2025-10-26T01:30:00.000000000");
  CHECK(shown("1761442200.25", "epoch-s") == "2025-10-26T01:30:00.250000000");
  CHECK(shown("-1.5", "epoch-s") == "1969-12-31T23:59:58.500000000");
  CHECK(shown("1761442200123", "epoch-ms") == "2025-10-26T01:30:00.123000000");
  CHECK(shown("1761442200123456", "epoch-us") == "2025-10-26T01:30:00.123456000");
  CHECK(shown("1761442200123456789", "epoch-ns") == "2025-10-26T01:30:00.123456789");
  CHECK(read("1761442200x", "epoch-s").verdict == TimeVerdict::unreadable);
  CHECK(read("1.76e9x", "epoch-s").verdict == TimeVerdict::unreadable);
  CHECK(read("99999999999999999999", "epoch-s").verdict == TimeVerdict::out_of_range);
  // Epochs are instants: a zone does not move them.
  CHECK(shown("1761442200", "epoch-s", Zone::find("Europe/Dublin")) ==
        "2025-10-26T01:30:00.000000000");
}

TEST_CASE("local times follow the zone, repeated and skipped ones as asked", "[timestamp]") {
  const Zone dublin = Zone::find("Europe/Dublin");
  CHECK(read("2025-07-01T12:00:00", "iso", dublin).instant == at("2025-07-01T11:00:00Z"));
  CHECK(read("2025-07-01T12:00:00Z", "iso", dublin).instant == at("2025-07-01T12:00:00Z"));
  const char* twice = "2025-10-26T01:30:00";
  CHECK(read(twice, "iso", dublin).verdict == TimeVerdict::repeated);
  CHECK(read(twice, "iso", dublin, Repeated::earlier).instant == at("2025-10-26T00:30:00Z"));
  CHECK(read(twice, "iso", dublin, Repeated::later).instant == at("2025-10-26T01:30:00Z"));
  const TimeReading open = read(twice, "iso", dublin, Repeated::order);
  CHECK(open.verdict == TimeVerdict::undecided);
  CHECK(open.later_by == 1h);
  const char* never = "2025-03-30T01:30:00";
  CHECK(read(never, "iso", dublin).verdict == TimeVerdict::skipped);
  // Read with the offset in force before the jump.
  CHECK(read(never, "iso", dublin, Repeated::reject, Skipped::forward).instant ==
        at("2025-03-30T01:30:00Z"));
}

TEST_CASE("dates in numbers go by their order and prove it", "[timestamp]") {
  const auto dated = [](const std::string& text, DateOrder order) {
    TimestampReader::Civil civil;
    detail::DateProof proof;
    const TimeVerdict verdict = detail::read_dated(text, order, civil, proof);
    return std::tuple(verdict, civil.seconds, proof);
  };
  const auto seconds_at = [](const char* text) { return at(text).time_since_epoch() / 1s; };
  using detail::DateProof;
  CHECK(dated("26/10/2025", DateOrder::dmy) ==
        std::tuple(TimeVerdict::ok, seconds_at("2025-10-26"), DateProof{1, 0}));
  CHECK(std::get<0>(dated("26/10/2025", DateOrder::mdy)) == TimeVerdict::impossible);
  CHECK(dated("3.4.2025 9:05", DateOrder::dmy) ==
        std::tuple(TimeVerdict::ok, seconds_at("2025-04-03T09:05"), DateProof{3, 1}));
  CHECK(dated("10/26/25 01:30:00 PM", DateOrder::mdy) ==
        std::tuple(TimeVerdict::ok, seconds_at("2025-10-26T13:30"), DateProof{2, 0}));
  CHECK(std::get<2>(dated("05/05/2025", DateOrder::dmy)) == DateProof{3, 0});
  CHECK(std::get<1>(dated("2025/10/26 24:00", DateOrder::ymd)) == seconds_at("2025-10-27"));
  CHECK(std::get<1>(dated("01/02/69", DateOrder::dmy)) == seconds_at("1969-02-01"));
  CHECK(std::get<1>(dated("01/02/68", DateOrder::dmy)) == seconds_at("2068-02-01"));
  CHECK(std::get<0>(dated("26/10-2025", DateOrder::dmy)) == TimeVerdict::unreadable);
  CHECK(std::get<0>(dated("26/10/202", DateOrder::dmy)) == TimeVerdict::unreadable);
}

TEST_CASE("dates with the month's name are read as people and protocols write them",
          "[timestamp]") {
  const char* const half_past_one = "2025-10-26T01:30:00.000000000";
  for (const char* text :
       {"Sun, 26 Oct 2025 01:30:00 GMT", "Sunday, 26-Oct-25 01:30:00 GMT",
        "Sun Oct 26 01:30:00 2025", "Sun, 26 Oct 2025 01:30:00 +0000 (UTC)",
        "26 Oct 2025 03:30 +0200", "Sat, 25 Oct 2025 21:30:00 EDT", "26 October 2025 1:30 AM",
        "Oct 26, 2025 1:30 am", "october 26th 2025, 01:30", "26-OCT-2025 01:30:00.000",
        "2025-Oct-26 01:30", "26.Oct.2025 at 1:30 a.m."}) {
    INFO(text);
    CHECK(shown(text, "named") == half_past_one);
  }
  CHECK(shown("3 Sept 2025", "named") == "2025-09-03T00:00:00.000000000");
  CHECK(shown("Sun Nov  6 08:49:37 1994", "named") == "1994-11-06T08:49:37.000000000");
  CHECK(shown("1 May 68", "named") == "2068-05-01T00:00:00.000000000");
  CHECK(shown("Q3 2025", "named") == "2025-07-01T00:00:00.000000000");
  CHECK(shown("2025Q3", "named") == "2025-07-01T00:00:00.000000000");
  for (const char* text : {"Mon, 26 Oct 2025", "30 Feb 2025", "26 Oct 2025 25:00", "Q5 2025",
                           "26 Oct 2025 13:30 PM"}) {
    INFO(text);
    CHECK(read(text, "named").verdict == TimeVerdict::impossible);
  }
  for (const char* text : {"Oct 2025", "October 2025", "Oct-25", "2025 Oct", "2025-OCT"}) {
    INFO(text);
    CHECK(shown(text, "named") == "2025-10-01T00:00:00.000000000");
  }
  CHECK(shown("Jan-80", "named") == "1980-01-01T00:00:00.000000000");
  CHECK(shown("26/Oct/2025:01:30:00 +0000", "named") == half_past_one);
  for (const char* text :
       {"26 Okt 2025", "26 Oct", "Oct 202", "Oct 5", "26 Oct 202", "Oct", "26 Oct 2025 x",
        "26 Oct Nov 2025", "26 10 2025", "H1 2025", "26 Oct 2025 01:30 XYZ"}) {
    INFO(text);
    CHECK(read(text, "named").verdict == TimeVerdict::unreadable);
  }
}

TEST_CASE("digits with nothing between are dates and clocks", "[timestamp]") {
  CHECK(shown("20251026", "compact") == "2025-10-26T00:00:00.000000000");
  CHECK(shown("202510260130", "compact") == "2025-10-26T01:30:00.000000000");
  CHECK(shown("20251026013015", "compact") == "2025-10-26T01:30:15.000000000");
  CHECK(shown("20251026013015123", "compact") == "2025-10-26T01:30:15.123000000");
  CHECK(shown("20251026013015.5Z", "compact") == "2025-10-26T01:30:15.500000000");
  CHECK(read("20251326", "compact").verdict == TimeVerdict::impossible);
  CHECK(read("2025102601", "compact").verdict == TimeVerdict::unreadable);
}

TEST_CASE("serial days count as spreadsheets do, with the leap day that never was", "[timestamp]") {
  CHECK(shown("1", "serial-1900") == "1900-01-01T00:00:00.000000000");
  CHECK(shown("59", "serial-1900") == "1900-02-28T00:00:00.000000000");
  CHECK(read("60", "serial-1900").verdict == TimeVerdict::impossible);
  CHECK(read("60.5", "serial-1900").verdict == TimeVerdict::impossible);
  CHECK(read("0", "serial-1900").verdict == TimeVerdict::impossible);
  CHECK(read("-1", "serial-1904").verdict == TimeVerdict::impossible);
  CHECK(shown("61", "serial-1900") == "1900-03-01T00:00:00.000000000");
  CHECK(shown("45956.0625", "serial-1900") == "2025-10-26T01:30:00.000000000");
  CHECK(shown("45956.3333333333", "serial-1900") == "2025-10-26T08:00:00.000000000");
  CHECK(shown("0", "serial-1904") == "1904-01-01T00:00:00.000000000");
  CHECK(shown("44494.0625", "serial-1904") == "2025-10-26T01:30:00.000000000");
  CHECK(read("2958465", "serial-1900").verdict == TimeVerdict::out_of_range);
  CHECK(read("4e300", "serial-1900").verdict != TimeVerdict::ok);
}

TEST_CASE("an abbreviation holds when the zone means one offset by it", "[timestamp]") {
  const Zone dublin = Zone::find("Europe/Dublin");
  const auto abbreviated = [&](const std::string& text, const Zone& zone) {
    return shown(text, "%Y-%m-%d %H:%M %Z", zone);
  };
  CHECK(abbreviated("2025-07-01 12:00 IST", dublin) == "2025-07-01T11:00:00.000000000");
  CHECK(abbreviated("2025-10-26 01:30 IST", dublin) == "2025-10-26T00:30:00.000000000");
  CHECK(abbreviated("2025-10-26 01:30 GMT", dublin) == "2025-10-26T01:30:00.000000000");
  CHECK(abbreviated("2025-07-01 12:00 GMT", dublin) == "2025-07-01T12:00:00.000000000");
  CHECK(abbreviated("2025-07-01 12:00 UTC", dublin) == "2025-07-01T12:00:00.000000000");
  CHECK(abbreviated("2025-07-01 12:00 CEST", dublin) == "none");
  CHECK(abbreviated("1872-10-26 09:30 IST", dublin) == "none");
  CHECK(abbreviated("1872-10-26 09:30 LMT", dublin) == "1872-10-26T09:55:21.000000000");
  CHECK(abbreviated("2025-07-01 12:00 IST", Zone()) == "none");
  CHECK(abbreviated("2025-07-01 12:00 GMT", Zone()) == "2025-07-01T12:00:00.000000000");
}

TEST_CASE("reading many texts is reading each", "[timestamp]") {
  std::mt19937 random(5);
  const Zone dublin = Zone::find("Europe/Dublin");
  for (const char* how :
       {"iso", "dmy", "mdy", "ymd", "epoch-s", "epoch-ms", "epoch-us", "epoch-ns", "named"}) {
    for (const bool local : {false, true}) {
      std::vector<std::string> texts;
      for (int i = 0; i < 20'000; ++i) {
        const std::uint64_t t = 1'000'000'000 + random() % 900'000'000;
        const auto civil = to_text(instant_of(static_cast<std::int64_t>(t) * 1'000'000'000), 0);
        std::string text = how[0] == 'e' ? std::to_string(t) : civil;
        if (std::string_view(how) == "epoch-ms") text += "123";
        if (std::string_view(how) == "epoch-us") text += "123456";
        if (std::string_view(how) == "epoch-ns") text += "123456789";
        if (how[0] == 'd')
          text = civil.substr(8, 2) + "/" + civil.substr(5, 2) + "/" + civil.substr(0, 4) + " " +
                 civil.substr(11, 8);
        if (how[0] == 'm')
          text = civil.substr(5, 2) + "-" + civil.substr(8, 2) + "-" + civil.substr(0, 4) + " " +
                 civil.substr(11, random() % 2 ? 5 : 8);
        if (how[0] == 'y')
          text = civil.substr(0, 4) + "." + civil.substr(5, 2) + "." + civil.substr(8, 2) + " " +
                 civil.substr(11, 8);
        if (how[0] != 'e' && text.size() >= 19 && random() % 3 == 0) text += ".25+01:00";
        if (random() % 8 == 0) text[random() % text.size()] = "0123456789-:. ZT"[random() % 16];
        texts.push_back(std::move(text));
      }
      const TimestampOptions options{.format = format(how),
                                     .zone = local ? dublin : Zone(),
                                     .repeated = static_cast<Repeated>(random() % 4),
                                     .skipped = static_cast<Skipped>(random() % 2),
                                     .not_before = at("2003-01-01T00:00:00Z")};
      TimestampReader one(options), many(options);
      const std::vector<std::string_view> views(texts.begin(), texts.end());
      std::vector<TimeReading> read(texts.size());
      many.read(views, read);
      std::size_t good = 0;
      for (std::size_t i = 0; i < texts.size(); ++i) {
        const TimeReading expected = one.read(texts[i]);
        INFO(how << ": " << texts[i]);
        REQUIRE(read[i].verdict == expected.verdict);
        REQUIRE(read[i].instant == expected.instant);
        REQUIRE(read[i].later_by == expected.later_by);
        good += expected.verdict == TimeVerdict::ok;
      }
      CHECK((good > 10'000) == (std::string_view(how) != "named"));
      CHECK(one.counts().with_offset == many.counts().with_offset);
      CHECK(one.counts().without_offset == many.counts().without_offset);
    }
  }
}

TEST_CASE("times of one day, read many at a time, are what each is", "[timestamp]") {
  std::mt19937 random(6);
  const Zone dublin = Zone::find("Europe/Dublin");
  const std::string letters = "0123456789-:. ZTz+";
  for (int round = 0; round < 120; ++round) {
    const bool dated = round % 4 == 3;
    const bool local = round % 3 == 1;
    // Days around a change of clocks, days before 1970, and the first of what can be.
    const std::int64_t first = std::array<std::int64_t, 3>{
        1'761'350'400, -86'400, -9'000'000'000}[static_cast<std::size_t>(round / 4 % 3)];
    const auto damage = std::array{0U, 400U, 12U}[static_cast<std::size_t>(round % 3)];
    const int digits = round % 2 == 0 ? 3 : 0;
    const std::size_t cut = random() % 3;
    std::vector<std::string> texts;
    std::int64_t t = first * 1000;
    for (int i = 0; i < 600; ++i) {
      t += random() % 500'000;
      std::string text = to_text(instant_of(t / 1000 * 1'000'000'000), 0);
      text.pop_back();
      if (digits == 3) text += fmt::format(".{:03}", random() % 1000);
      if (cut == 0) text += 'Z';
      if (cut == 1) text = text.substr(0, 16);
      if (dated)
        text = text.substr(8, 2) + "/" + text.substr(5, 2) + "/" + text.substr(0, 4) + " " +
               text.substr(11);
      if (damage > 0 && random() % damage == 0) {
        text[random() % text.size()] = letters[random() % letters.size()];
      }
      texts.push_back(std::move(text));
    }
    TimestampOptions options{.format = format(dated ? "dmy" : "iso"),
                             .zone = local ? dublin : Zone(),
                             .repeated = static_cast<Repeated>(random() % 4)};
    if (round % 5 == 0) options.not_before = instant_of(first * 1'000'000'000) + 30h;
    if (round % 5 == 1) options.not_after = instant_of(first * 1'000'000'000) + 30h;
    TimestampReader one(options), many(options);
    const std::vector<std::string_view> views(texts.begin(), texts.end());
    std::vector<TimeReading> read(texts.size());
    many.read(views, read);
    for (std::size_t i = 0; i < texts.size(); ++i) {
      const TimeReading expected = one.read(texts[i]);
      INFO(texts[i]);
      REQUIRE(read[i].verdict == expected.verdict);
      REQUIRE(read[i].instant == expected.instant);
    }
    CHECK(one.counts().with_offset == many.counts().with_offset);
    CHECK(one.counts().without_offset == many.counts().without_offset);
    CHECK(one.counts().date_orders == many.counts().date_orders);
    CHECK(one.counts().differ == many.counts().differ);
  }
}

TEST_CASE("what the times of a day have in common is all that is compared", "[timestamp]") {
  if (!detail::SameDay::is_available()) return;
  detail::SameDay day;
  const auto read = [&](const std::vector<std::string>& texts) {
    detail::SameDay::Texts at;
    std::array<std::int64_t, detail::SameDay::batch> out;
    for (std::size_t i = 0; i < at.size(); ++i) at[i] = texts[std::min(i, texts.size() - 1)].data();
    const std::size_t n = day.read(at, texts.size(), out);
    return std::vector<std::int64_t>(out.begin(), out.begin() + static_cast<std::ptrdiff_t>(n));
  };
  const std::string known = "2025-10-26T01:30:00.500Z";
  REQUIRE(day.learn(known.data(), known.size(), 0));
  CHECK(
      read({"2025-10-26T00:00:00.001Z", "2025-10-26T23:59:59.999Z", "2025-10-26T24:00:00.000Z"}) ==
      std::vector<std::int64_t>{1'000'000, 86'399'999'000'000});
  for (const char* other :
       {"2025-10-27T01:30:00.500Z", "2025-10-26 01:30:00.500Z", "2025-10-26T01:60:00.500Z",
        "2025-10-26T01:30:60.500Z", "2025-10-26T01:30:00,500Z", "2025-10-26T01:30:00.50:Z",
        "2025-10-26T01:30:00.500z", "2025-10-26T0/:30:00.500Z", "2o25-10-26T01:30:00.500Z"}) {
    INFO(other);
    CHECK(read({known, other, known}).size() == 1);
  }
  CHECK(!day.learn("2025-10-26T01:30:00.5", 21, 0));
  CHECK(!day.learn("2025-10-26T01:30:00.5000", 24, 0));
}

TEST_CASE("what a fast reader starts out with is no time", "[timestamp]") {
  for (const char* how : {"iso", "dmy", "ymd", "epoch-s"}) {
    for (const char byte : {'\0', '\xff', ' '}) {
      TimestampReader reader({.format = format(how)});
      const std::string text(16, byte);
      const std::vector<std::string_view> texts{text};
      std::vector<TimeReading> out(1);
      reader.read(texts, out);
      CHECK(out[0].verdict == TimeVerdict::unreadable);
    }
  }
}

TEST_CASE("behind an epoch's fraction no offset has a place, in batches either", "[timestamp]") {
  const std::vector<std::string_view> texts{
      "1050147120.122",       "1050147120.122+01:00", "1050147120+01:00", "1050147120.122Z",
      "1050147120.122333444", "1050147120.5",         "1050147120.",      "1050147120.1223334445",
      "1050147120.12-00:30",  "1050147120Z"};
  TimestampReader one({.format = format_of(TimeFormat::Kind::epoch_s)});
  TimestampReader many({.format = format_of(TimeFormat::Kind::epoch_s)});
  std::vector<TimeReading> read(texts.size());
  many.read(texts, read);
  for (std::size_t i = 0; i < texts.size(); ++i) {
    INFO(texts[i]);
    const bool plain = texts[i].find_first_of("+-Z") == std::string_view::npos;
    const TimeReading reading = one.read(texts[i]);
    CHECK((plain || reading.verdict == TimeVerdict::unreadable));
    CHECK(read[i].verdict == reading.verdict);
    CHECK(read[i].instant == reading.instant);
  }
  CHECK(read[0].instant == at("2003-04-12T11:32:00.122Z"));
}

TEST_CASE("the size of epochs tells their unit, unless they run on from the nineteen-seventies",
          "[timestamp]") {
  const auto decide = [](std::initializer_list<const char*> texts) {
    TimestampReader reader({.format = format("epoch-s")});
    for (const char* text : texts) reader.read(text);
    const auto decision = decide_epoch_unit(reader.counts(), Kind::epoch_s);
    return std::pair(decision.unit, decision.also.value_or(Kind::automatic));
  };
  CHECK(decide({"1761442200", "1761442260"}) == std::pair(Kind::epoch_s, Kind::automatic));
  CHECK(decide({"1761442200000", "12"}) == std::pair(Kind::epoch_ms, Kind::automatic));
  CHECK(decide({"1761442200000000"}) == std::pair(Kind::epoch_us, Kind::automatic));
  CHECK(decide({"1761442200", "1761442260", "1761442200000"}) ==
        std::pair(Kind::epoch_s, Kind::epoch_ms));
  CHECK(decide({"8000000000", "9000000000", "9500000000"}) ==
        std::pair(Kind::epoch_ms, Kind::automatic));
}

TEST_CASE("strptime patterns are read, with fractions and offsets", "[timestamp]") {
  CHECK(shown("26/Oct/2025 01:30:00.25", "%d/%b/%Y %H:%M:%S.%f") ==
        "2025-10-26T01:30:00.250000000");
  CHECK(shown("October 26, 2025 1:30 PM", "%B %d, %Y %I:%M %p") == "2025-10-26T13:30:00.000000000");
  CHECK(shown("2025-10-26 01:30:00 +0200", "%F %T %z") == "2025-10-25T23:30:00.000000000");
  CHECK(shown("299 2025", "%j %Y") == "2025-10-26T00:00:00.000000000");
  CHECK(read("2025-10-26 01:30", "%Y-%m-%d").verdict == TimeVerdict::unreadable);
  CHECK(read("2025-02-30", "%Y-%m-%d").verdict == TimeVerdict::impossible);
  CHECK(read("2025-10-26 25", "%Y-%m-%d %H").verdict == TimeVerdict::impossible);
  CHECK_THROWS_WITH(format("%Y-%Q"), Catch::Contains("%Q is not a conversion"));
  CHECK_THROWS_WITH(format("epoch_ms"), Catch::Contains("did you mean epoch-ms?"));
}

TEST_CASE("the format is found from samples", "[timestamp]") {
  const auto found = [](std::vector<std::string> samples) {
    const auto format = find_time_format(samples);
    return format ? to_text(*format) : "none";
  };
  CHECK(found({"2025-10-26T01:30:00Z", "2025-10-26T01:36:00Z", "garbled"}) == "iso");
  CHECK(found({"1761442200", "1761442260"}) == "epoch-s");
  CHECK(found({"1761442200123"}) == "epoch-ms");
  CHECK(found({"1761442200123456"}) == "epoch-us");
  CHECK(found({"1761442200123456789"}) == "epoch-ns");
  CHECK(found({"1999", "2000"}) == "iso");
  CHECK(found({"20251026", "20251027"}) == "iso");
  CHECK(found({"26/10/2025 01:30"}) == "dmy");
  CHECK(found({"10/26/2025", "10/27/2025"}) == "mdy");
  CHECK(found({"2025/10/26"}) == "ymd");
  CHECK(found({"hake", "megrim"}) == "none");
}

TEST_CASE("an instant written out reads back the same", "[instant]") {
  std::mt19937_64 random(3);
  const Zone apia = Zone::find("Pacific/Apia");
  for (int i = 0; i < 2000; ++i) {
    const Instant t = instant_of(static_cast<std::int64_t>(random()));
    CHECK(at(to_text(t)) == t);
    // Before 1892, local mean times have offsets with seconds, which no timestamp has.
    if (t > at("1915-01-01")) CHECK(at(to_text(t, 9, &apia)) == t);
  }
  CHECK(to_text(at("2025-10-20T00:00:03.120Z")) == "2025-10-20T00:00:03.120Z");
}

}  // namespace zerobeat::testing
