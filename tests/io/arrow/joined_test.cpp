// Arrow streams and files one after the other: streams are read to the last, files are told apart.

#include <sys/stat.h>

#include <thread>
#include <zerobeat/io/read.hpp>
#include <zerobeat/io/write.hpp>

#include "support/folder.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

Timeline hour(int from, const std::string& column = "level") {
  Rows rows;
  Readings readings;
  std::vector<std::string> gears;
  for (int i = 0; i < 6; ++i) {
    rows.times.push_back(clock(fmt::format("{:02}:{}0", from, i)));
    readings.push_back(i == 3 ? std::nullopt : std::optional(from + i / 8.0));
    gears.push_back(i % 2 == 0 ? fmt::format("gear {}", from) : "net");
  }
  rows.columns = {{column, column_of(readings)}, {"gear", texts_of(gears)}};
  return timeline_of(rows);
}

/// As a pipe has it: a stream.
std::string stream_of(const Folder& folder, const Timeline& timeline) {
  const std::string pipe = folder.path("pipe");
  REQUIRE(mkfifo(pipe.c_str(), 0600) == 0);
  std::string bytes;
  std::thread reader([&] { bytes = folder.get("pipe"); });
  write(timeline, pipe, {.to = "arrow"});
  reader.join();
  fs::remove(pipe);
  return bytes;
}

std::string file_of(const Folder& folder, const Timeline& timeline) {
  write(timeline, folder.path("one.arrow"));
  return folder.get("one.arrow");
}

}  // namespace

TEST_CASE("streams one after the other are one source", "[arrow]") {
  const Folder folder;
  const std::string bytes =
      stream_of(folder, hour(1)) + stream_of(folder, hour(2)) + stream_of(folder, hour(5));
  folder.put("three.arrow", bytes);
  const Timeline all = settle(read_records(folder.path("three.arrow")));
  REQUIRE(all.rows() == 18);
  CHECK(clocks(all)[6] == "02:00");
  CHECK(readings(all, "level")[9] == missing);
  CHECK(readings(all, "level")[16] == 5.5);
  // Each has a dictionary of its own.
  CHECK(texts(all, "gear")[0] == "gear 1");
  CHECK(texts(all, "gear")[7] == "net");
  CHECK(texts(all, "gear")[12] == "gear 5");
}

TEST_CASE("a stream that is cut, or followed by what is none, is told", "[arrow]") {
  const Folder folder;
  const std::string one = stream_of(folder, hour(1)), both = one + stream_of(folder, hour(2));
  for (std::size_t size = 9; size < both.size(); size += 7) {
    if (size == one.size()) continue;
    INFO(size << " of " << both.size());
    folder.put("cut.arrow", both.substr(0, size));
    REQUIRE_THROWS_WITH(read_records(folder.path("cut.arrow")), Catch::Contains("cut.arrow: byte"));
  }
  folder.put("junk.arrow", one + "not an Arrow stream at all");
  CHECK_THROWS_WITH(read_records(folder.path("junk.arrow")),
                    Catch::Contains(fmt::format("byte {}", one.size())));
}

TEST_CASE("a second stream of other columns is not taken for the first", "[arrow]") {
  const Folder folder;
  folder.put("two.arrow", stream_of(folder, hour(1)) + stream_of(folder, hour(2, "depth")));
  CHECK_THROWS_WITH(read_records(folder.path("two.arrow")),
                    Catch::Contains("whose columns are not those of the first"));
}

TEST_CASE("files one after the other are told", "[arrow]") {
  const Folder folder;
  const std::string one = file_of(folder, hour(1)), two = file_of(folder, hour(2));
  folder.put("both.arrow", one + two);
  CHECK_THROWS_WITH(read_records(folder.path("both.arrow")),
                    Catch::Contains("two files one after the other"));
  folder.put("same.arrow", one + one);
  CHECK_THROWS_WITH(read_records(folder.path("same.arrow")),
                    Catch::Contains("two files one after the other"));
  folder.put("one.arrow", one);
  CHECK(read_records(folder.path("one.arrow")).size() == 6);
}

TEST_CASE("the same timeline is the same bytes, whatever memory held before", "[arrow]") {
  const Folder folder;
  // Readings and missing ones in blocks that are handed from one column to the next.
  const auto made = [&](double scrap) {
    { const Buffer<double> before(200'000, scrap); }
    Rows rows;
    Buffer<double> values(200'000);
    ValidityBuilder validity(values.size());
    for (std::size_t i = 0; i < values.size(); ++i) {
      rows.times.push_back(clock("00:00") + std::chrono::seconds(i));
      if (i % 3 == 0) {
        validity.set_missing(i);
      } else {
        values[i] = static_cast<double>(i);
      }
    }
    rows.columns = {{"level", Column::numbers(std::move(values), validity.take())}};
    return file_of(folder, timeline_of(rows));
  };
  CHECK(made(1.5) == made(-77));
}

}  // namespace zerobeat::testing
