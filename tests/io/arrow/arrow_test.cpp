// Arrow: what leaves through the C data interface, and files that are damaged.

#include <fmt/format.h>
#include <unistd.h>

#include <cstdio>
#include <cstdlib>
#include <fstream>
#include <random>
#include <sstream>
#include <zerobeat/io/arrow_data.hpp>
#include <zerobeat/io/read.hpp>
#include <zerobeat/io/write.hpp>

#include "support/folder.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

Timeline harbour() {
  std::string text = "time,probe,level,n,open,gear\n";
  for (int i = 0; i < 300; ++i) {
    text += fmt::format("2025-10-25T{:02}:{:02}:00.000000{:03}Z,p{},{},{},{},{}\n", i / 60, i % 60,
                        i, i % 3, i % 7 == 0 ? "" : fmt::format("{}", i * 0.25), i - 100,
                        i % 2 == 0 ? "true" : "false", i % 5 == 0 ? "" : fmt::format("g{}", i % 4));
  }
  ReadOptions options;
  options.key = "probe";
  return settle(read_text(text, options, "harbour.csv"));
}

std::string bytes_of(const Timeline& timeline, const WriteOptions& options) {
  const Folder folder;
  write(timeline, folder.path("x.arrow"), options);
  return folder.get("x.arrow");
}

/// A string at a place in a dictionary that was handed over.
std::string word(const ArrowArray& column, std::int64_t row) {
  const auto code = static_cast<const std::int32_t*>(column.buffers[1])[row];
  const auto* const offsets = static_cast<const std::int32_t*>(column.dictionary->buffers[1]);
  const auto* const words = static_cast<const char*>(column.dictionary->buffers[2]);
  return {words + offsets[code], words + offsets[code + 1]};
}

}  // namespace

TEST_CASE("columns leave through the C data interface without a copy", "[arrow]") {
  ArrowSchema schema;
  ArrowArray array;
  const double* level = nullptr;
  {
    const Timeline timeline = harbour();
    level = timeline.values().column("level").numbers().data();
    export_arrow(timeline, &schema, &array);
  }
  // The timeline is gone, its readings are not.
  REQUIRE(std::string(schema.format) == "+s");
  REQUIRE(schema.n_children == 6);
  REQUIRE(array.n_children == 6);
  CHECK(array.length == 300);
  const auto format = [&](int c) { return std::string(schema.children[c]->format); };
  CHECK(std::string(schema.children[0]->name) == "time");
  CHECK(format(0) == "tsn:UTC");
  CHECK(format(1) == "i");
  CHECK(std::string(schema.children[1]->dictionary->format) == "u");
  CHECK(format(2) == "g");
  CHECK(format(3) == "l");
  CHECK(format(4) == "b");
  CHECK(array.children[2]->buffers[1] == level);
  const Timeline again = harbour();
  std::int64_t not_there = 0;
  for (std::int64_t row = 0; row < 300; ++row) {
    const auto i = static_cast<std::size_t>(row);
    CHECK(static_cast<const std::int64_t*>(array.children[0]->buffers[1])[row] ==
          nanoseconds_of(again.times()[i]));
    CHECK(word(*array.children[1], row) == fmt::format("p{}", row / 100));
    const auto* const bits = static_cast<const std::uint8_t*>(array.children[2]->buffers[0]);
    const bool there = (bits[row / 8] >> (row % 8) & 1) != 0;
    not_there += !there;
    CHECK(there == again.values().column("level").valid(i));
    if (again.values().column("gear").valid(i)) {
      CHECK(word(*array.children[5], row) == again.values().column("gear").text(i));
    }
  }
  CHECK(array.children[2]->null_count == not_there);
  // A child may be taken out and released by itself.
  ArrowArray child = *array.children[2];
  array.children[2]->release = nullptr;
  schema.release(&schema);
  array.release(&array);
  CHECK(schema.release == nullptr);
  CHECK(array.release == nullptr);
  CHECK(static_cast<const double*>(child.buffers[1])[1] == 0.75);
  child.release(&child);
}

TEST_CASE("an Arrow file is read as it was written, in every unit", "[arrow]") {
  const Timeline timeline = harbour();
  for (const auto precision : {Precision::automatic, Precision::us, Precision::ms, Precision::s}) {
    const std::string bytes = bytes_of(timeline, {.to = "arrow", .precision = precision});
    CHECK(bytes.substr(0, 6) == "ARROW1");
    ReadOptions options;
    options.key = "probe";
    const Timeline read = settle(read_text(bytes, options, "harbour.arrow"));
    REQUIRE(read.rows() == timeline.rows());
    const std::int64_t unit = precision == Precision::us   ? 1'000
                              : precision == Precision::ms ? 1'000'000
                              : precision == Precision::s  ? 1'000'000'000
                                                           : 1;
    for (std::size_t i = 0; i < read.rows(); ++i) {
      const std::int64_t t = nanoseconds_of(timeline.times()[i]);
      CHECK(nanoseconds_of(read.times()[i]) == t - t % unit);
    }
    for (std::size_t c = 0; c < read.values().columns().size(); ++c) {
      CHECK(read.values().columns()[c] == timeline.values().columns()[c]);
    }
  }
}

TEST_CASE("a damaged Arrow file is an error or the same, never less", "[arrow]") {
  const std::string bytes = bytes_of(harbour(), {.to = "arrow"});
  const auto rows = [](const std::string& text) -> std::int64_t {
    try {
      return read_text(text, {.time = "time"}, "x.arrow").source->records;
    } catch (const Error&) {
      return -1;
    }
  };
  CHECK(rows(bytes) == 300);
  for (std::size_t size = 8; size < bytes.size(); size += 37)
    CHECK(rows(bytes.substr(0, size)) == -1);
  std::mt19937 random(2);
  for (int round = 0; round < 3000; ++round) {
    std::string changed = bytes;
    for (int n = 0; n < 1 + round % 3; ++n) {
      changed[random() % changed.size()] = static_cast<char>(random());
    }
    rows(changed);  // does not fall over
  }
}

}  // namespace zerobeat::testing
