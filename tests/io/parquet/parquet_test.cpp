// Parquet files: what is written comes back, what others write is read, and what is damaged is
// told.

#include <lz4.h>

#include <bit>
#include <numeric>
#include <zerobeat/base/threads.hpp>
#include <zerobeat/clean/from_memory.hpp>
#include <zerobeat/io/read.hpp>
#include <zerobeat/io/write.hpp>

#include "io/parquet/column_reader.hpp"
#include "io/parquet/made_file.hpp"
#include "io/source/read_task.hpp"
#include "support/folder.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

using detail::append_hybrid;
using detail::append_plain;
using detail::ParquetCodec;
using detail::ParquetEncoding;
using detail::Physical;

Timeline every_type(std::size_t rows, unsigned seed) {
  std::mt19937 random(seed);
  const auto gone = [&] { return random() % 5 == 0; };
  Rows out;
  Readings few, many;
  std::vector<std::optional<std::int64_t>> whole;
  std::vector<std::string> words, ids;
  Buffer<std::uint64_t> bits((rows + 63) / 64, 0), there((rows + 63) / 64, 0);
  for (std::size_t i = 0; i < rows; ++i) {
    out.times.push_back(at("2025-10-20T00:00:00Z") +
                        std::chrono::nanoseconds(static_cast<std::int64_t>(i) * 250'000'123));
    few.push_back(gone() ? std::nullopt : std::optional(std::floor(random() % 50) / 4 - 3));
    many.push_back(gone() ? std::nullopt : std::optional(static_cast<double>(random()) / 7));
    whole.push_back(gone() ? std::nullopt
                           : std::optional(static_cast<std::int64_t>(random()) << (random() % 32)));
    words.push_back(gone() ? "" : "gear " + std::to_string(random() % 7));
    ids.push_back(gone() ? "" : "é" + std::to_string(i));
    bits[i / 64] |= std::uint64_t{random() % 2} << (i % 64);
    there[i / 64] |= std::uint64_t{!gone()} << (i % 64);
  }
  out.columns = {
      {"few", column_of(few)},
      {"many", column_of(many)},
      {"whole", integers_of(whole)},
      {"gear", texts_of(words)},
      {"id", texts_of(ids)},
      {"open", Column::booleans(std::move(bits), rows, Validity(std::move(there), rows))}};
  return timeline_of(out);
}

Timeline read_back(const Folder& folder, const std::string& name, const ReadOptions& options = {}) {
  return settle(read_records(folder.path(name), options));
}

bool same(const Timeline& a, const Timeline& b) {
  if (!std::ranges::equal(a.times(), b.times())) return false;
  if (a.values().names() != b.values().names()) return false;
  for (const auto& name : a.values().names()) {
    if (a.values().column(name) != b.values().column(name)) return false;
  }
  return true;
}

std::string plain_of(const std::vector<std::int64_t>& values) {
  std::string bytes;
  for (const std::int64_t value : values) append_plain(bytes, value);
  return bytes;
}

/// A file of three rows, a time each, and what `add` adds.
template <typename Add>
std::string three_rows(Add&& add) {
  MadeFile file(3);
  file.column("t", Physical::int64).__set_converted_type(9);  // milliseconds
  file.plain(plain_of({1'760'918'400'000, 1'760'918'460'000, 1'760'918'520'000}));
  add(file);
  return file.finished();
}

}  // namespace

TEST_CASE("every type comes back from Parquet as it was", "[parquet]") {
  const Folder folder;
  for (const std::size_t rows : {1, 7, 3000, 70'000}) {
    const Timeline timeline = every_type(rows, static_cast<unsigned>(rows));
    write(timeline, folder.path("x.parquet"));
    const Timeline back = read_back(folder, "x.parquet", {.text = {"gear", "id"}});
    INFO(rows);
    CHECK(same(timeline, back));
  }
}

TEST_CASE("columns without readings, and no rows at all, come back", "[parquet]") {
  const Folder folder;
  Rows rows;
  rows.times = {clock("00:00"), clock("00:10")};
  rows.columns = {{"level", column_of({missing, missing})}, {"gear", texts_of({"", ""})}};
  write(timeline_of(rows), folder.path("x.parquet"));
  const Timeline back = read_back(folder, "x.parquet", {.text = {"gear"}});
  CHECK(readings(back, "level") == Readings{missing, missing});
  CHECK(texts(back, "gear") == std::vector<std::string>{"", ""});
  const Timeline none = strand("00:00 1");
  Timeline::Parts parts = none.parts();
  parts.times = Column::times({});
  parts.strands = {};
  parts.values = Table(0);
  parts.values.add("level", column_of({}));
  write(Timeline(parts), folder.path("none.parquet"));
  CHECK(read_back(folder, "none.parquet").rows() == 0);
}

TEST_CASE("times are kept in the coarsest unit that loses nothing, or cut as asked", "[parquet]") {
  const Folder folder;
  const auto times_of = [&](const std::string& text, Precision precision) {
    write(strand(text + " 1"), folder.path("x.parquet"), {.precision = precision});
    const Timeline back = read_back(folder, "x.parquet");
    return to_text(back.times()[0]);
  };
  CHECK(times_of("2025-10-20T00:00:01.5Z", Precision::automatic) == "2025-10-20T00:00:01.500Z");
  CHECK(times_of("2025-10-20T00:00:01.000001Z", Precision::automatic) ==
        "2025-10-20T00:00:01.000001Z");
  CHECK(times_of("2025-10-20T00:00:01.123456789Z", Precision::automatic) ==
        "2025-10-20T00:00:01.123456789Z");
  CHECK(times_of("2025-10-20T00:00:01.987Z", Precision::s) == "2025-10-20T00:00:01Z");
  CHECK(times_of("1969-12-31T23:59:59.9999Z", Precision::ms) == "1969-12-31T23:59:59.999Z");
  const auto refused = [&](const WriteOptions& options) {
    return usage([&] { write(strand("00:00 1"), folder.path("y.parquet"), options); });
  };
  CHECK_THAT(refused({.local = true}), Catch::Contains("its times in UTC"));
  CHECK_THAT(refused({.digits = 3}), Catch::Contains("numbers as such"));
  CHECK_FALSE(folder.has("y.parquet"));
}

TEST_CASE("the same table is the same bytes at any number of threads", "[parquet]") {
  const Folder folder;
  const Timeline timeline = every_type(5000, 3);
  write(timeline, folder.path("a.parquet"));
  with_threads(1, [&] { write(timeline, folder.path("b.parquet")); });
  with_threads(4, [&] { write(timeline, folder.path("c.parquet")); });
  CHECK(folder.get("a.parquet") == folder.get("b.parquet"));
  CHECK(folder.get("a.parquet") == folder.get("c.parquet"));
}

TEST_CASE("integers without a sign, dates, 96-bit times and short floats are read", "[parquet]") {
  const Folder folder;
  folder.put(
      "x.parquet", three_rows([](MadeFile& file) {
        file.column("narrow", Physical::int32).__set_converted_type(13);  // 32 bits without a sign
        std::string words;
        for (const std::uint32_t word : {0U, 7U, 4'294'967'295U}) append_plain(words, word);
        file.plain(words);
        file.column("day", Physical::int32).__set_converted_type(6);
        words.clear();
        for (const std::int32_t day : {-1, 0, 20'381}) append_plain(words, day);
        file.plain(words);
        file.column("old", Physical::int96);
        words.clear();
        for (const std::int32_t day : {2'440'588, 2'440'587, 2'000'000'000}) {
          append_plain(words, std::int64_t{1'500'000'000});
          append_plain(words, day);
        }
        file.plain(words);
        file.column("short", Physical::float32);
        words.clear();
        for (const float number : {0.5F, -2.25F, 1e10F}) append_plain(words, number);
        file.plain(words);
        file.column("wide", Physical::int64).__set_converted_type(14);  // 64 bits without a sign
        file.plain(plain_of({5, 6, -1}));
      }));
  const Records records = read_records(folder.path("x.parquet"), {.time = "t"});
  const Table& values = records.values;
  CHECK(std::ranges::equal(values.column("narrow").integers(),
                           std::vector<std::int64_t>{0, 7, 4'294'967'295}));
  CHECK(values.column("day").text(0) == "1969-12-31");
  CHECK(values.column("day").text(2) == "2025-10-20");
  CHECK(to_text(values.column("old").times()[0]) == "1970-01-01T00:00:01.500Z");
  CHECK(to_text(values.column("old").times()[1]) == "1969-12-31T00:00:01.500Z");
  CHECK_FALSE(values.column("old").valid(2));
  CHECK(records.source->unreadable_readings() == 1);
  CHECK(values.column("short").numbers()[1] == -2.25);
  CHECK(values.column("wide").text(2) == "18446744073709551615");
  const auto notes = records.source->notes;
  CHECK(std::ranges::any_of(notes, [](const std::string& note) {
    return note.find("column \"wide\" is read as text") != std::string::npos;
  }));
}

TEST_CASE("levels of the oldest kind, the highest bit first, are read", "[parquet]") {
  const Folder folder;
  folder.put("x.parquet", three_rows([](MadeFile& file) {
               file.column("level", Physical::float64, true);
               std::string page(1, static_cast<char>(0b10100000));  // there, missing, there
               append_plain(page, 1.5);
               append_plain(page, 2.5);
               file.page(page, page.size(), ParquetEncoding::plain, ParquetCodec::uncompressed,
                         ParquetEncoding::bit_packed);
             }));
  CHECK(readings(read_back(folder, "x.parquet"), "level") == Readings{1.5, missing, 2.5});
}

TEST_CASE("LZ4 is read bare and in the frame of the codec's first writer", "[parquet]") {
  const Folder folder;
  std::string plain;
  for (const double x : {1.5, 1.5, 1.5}) append_plain(plain, x);
  std::string packed(100, '\0');
  packed.resize(static_cast<std::size_t>(
      LZ4_compress_default(plain.data(), packed.data(), static_cast<int>(plain.size()), 100)));
  const auto in_big_endian = [](std::size_t size) {
    std::string bytes(4, '\0');
    for (int i = 0; i < 4; ++i) bytes[3 - i] = static_cast<char>(size >> 8 * i);
    return bytes;
  };
  const std::string framed = in_big_endian(plain.size()) + in_big_endian(packed.size()) + packed;
  for (const auto& [codec, bytes] :
       {std::pair(ParquetCodec::lz4_raw, packed), std::pair(ParquetCodec::lz4, packed),
        std::pair(ParquetCodec::lz4, framed)}) {
    folder.put("x.parquet", three_rows([&, &bytes = bytes, codec = codec](MadeFile& file) {
                 file.column("level", Physical::float64);
                 file.page(bytes, plain.size(), ParquetEncoding::plain, codec);
               }));
    CHECK(readings(read_back(folder, "x.parquet"), "level") == Readings{1.5, 1.5, 1.5});
  }
}

TEST_CASE("what is no reading is refused by column, when it is asked for", "[parquet]") {
  const Folder folder;
  const auto refused = [&](const std::string& bytes, const ReadOptions& options = {}) {
    folder.put("x.parquet", bytes);
    return refusal(Error::Kind::input, [&] { read_records(folder.path("x.parquet"), options); });
  };
  const std::string clock_file = three_rows([](MadeFile& file) {
    file.column("clock", Physical::int64).__set_converted_type(8);
    file.plain(plain_of({1, 2, 3}));
  });
  CHECK_THAT(refused(clock_file), Catch::Contains("\"clock\" is of type TIME"));
  CHECK(refused(clock_file, {.columns = {"t"}}).empty());
  const std::string raw_file = three_rows([](MadeFile& file) {
    file.column("raw", Physical::byte_array);
    std::string texts;
    for (const std::string text : {"a", "bc", "\xff"}) {
      append_plain(texts, static_cast<std::uint32_t>(text.size()));
      texts += text;
    }
    file.plain(texts);
  });
  CHECK_THAT(refused(raw_file), Catch::Contains("\"raw\" is of type BYTE_ARRAY"));
  const Records told = read_records(folder.path("x.parquet"), {.text = {"raw"}});
  CHECK(told.values.column("raw").text(1) == "bc");
  CHECK(told.source->by_reason[static_cast<std::size_t>(Reason::bad_encoding)] == 1);
  CHECK_THAT(refused(three_rows([](MadeFile& file) {
               file.column("tags", Physical::int64).__set_repetition_type(2);
               file.plain(plain_of({1, 2, 3}));
             })),
             Catch::Contains("\"tags\" is of type a repeated field"));
  CHECK_THAT(
      refused(three_rows([](MadeFile& file) {
        file.column("level", Physical::float64);
        file.page("x", 1, ParquetEncoding::plain, ParquetCodec::lzo);
      })),
      Catch::Contains("row group 1, column \"level\", byte") && Catch::Contains("packed by LZO"));
}

TEST_CASE("a column that lies elsewhere, is encrypted or too short is told", "[parquet]") {
  const Folder folder;
  const auto refused = [&](const std::string& bytes) {
    folder.put("x.parquet", bytes);
    return refusal(Error::Kind::input, [&] { read_records(folder.path("x.parquet")); });
  };
  const auto with = [&](auto&& change) {
    return three_rows([&](MadeFile& file) {
      file.column("level", Physical::float64);
      file.plain(std::string(24, '\0'));
      change(file);
    });
  };
  CHECK(refused(with([](MadeFile&) {})).empty());
  CHECK_THAT(refused(with(
                 [](MadeFile& file) { file.group().columns[1].__set_file_path("other.parquet"); })),
             Catch::Contains("another file, other.parquet"));
  CHECK_THAT(
      refused(with([](MadeFile& file) { file.group().columns[1].__set_crypto_metadata({}); })),
      Catch::Contains("encrypted"));
  CHECK_THAT(refused(with([](MadeFile& file) { file.metadata().__set_encryption_algorithm({}); })),
             Catch::Contains("encrypted"));
  CHECK_THAT(refused(with([](MadeFile& file) {
               file.group().columns[1].meta_data.total_compressed_size = 1 << 20;
             })),
             Catch::Contains("lies outside of the file"));
  CHECK_THAT(refused(with([](MadeFile& file) { file.group().columns[1].meta_data.type = 2; })),
             Catch::Contains("another type than the schema says"));
  CHECK_THAT(refused(with([](MadeFile& file) { file.group().columns.pop_back(); })),
             Catch::Contains("fewer columns than the schema"));
  CHECK_THAT(refused(with([](MadeFile& file) { file.group().num_rows = 4; })),
             Catch::Contains("ends before the last row"));
  CHECK_THAT(refused(with([](MadeFile& file) { file.group().num_rows = 2; })),
             Catch::Contains("more rows than its row group"));
  CHECK_THAT(refused("PAR1 and no end"), Catch::Contains("no Parquet file ends so"));
  CHECK_THAT(refused("PARE" + std::string(20, ' ') + "PARE"), Catch::Contains("encrypted"));
}

TEST_CASE("a damaged byte is told, or changes nothing but what it is", "[parquet]") {
  const Folder folder;
  write(every_type(300, 9), folder.path("good.parquet"));
  const std::string good = folder.get("good.parquet");
  std::size_t told = 0;
  for (std::size_t i = 0; i < good.size(); ++i) {
    std::string bad = good;
    bad[i] = static_cast<char>(bad[i] ^ (1 << i % 8));
    folder.put("x.parquet", bad);
    try {
      const Records records = read_records(folder.path("x.parquet"));
      CHECK(records.source->records ==
            records.source->kept + records.source->rejected + records.source->merged);
    } catch (const Error& error) {
      ++told;
      CHECK((error.kind() == Error::Kind::input || error.kind() == Error::Kind::usage));
    }
  }
  // Pages have checksums; only names and notes of the metadata can change unseen.
  CHECK(told > good.size() * 8 / 10);
  for (std::size_t size = 4; size < good.size(); size += 7) {
    folder.put("x.parquet", good.substr(0, size));
    CHECK_THAT(refusal(Error::Kind::input, [&] { read_records(folder.path("x.parquet")); }),
               Catch::Contains("x.parquet"));
  }
}

TEST_CASE("row groups of other times are counted and not read", "[parquet]") {
  const Folder folder;
  // Two row groups: a little over 2^20 rows.
  constexpr std::size_t rows = (std::size_t{1} << 20) + 1000;
  std::vector<Instant> times(rows);
  for (std::size_t i = 0; i < rows; ++i) {
    times[i] = clock("00:00") + std::chrono::milliseconds(static_cast<std::int64_t>(i) * 10);
  }
  std::vector<double> level(rows);
  std::iota(level.begin(), level.end(), 0.0);
  write(zerobeat::timeline(Column(times), {{"level", Column(level)}}), folder.path("x.parquet"));
  const Instant edge = times[std::size_t{1} << 20];
  const auto read = [&](Instant from, Instant until, const std::string& key = "") {
    detail::ReadTask task;
    task.key = key;
    task.wanted_time = TimeRange{from, until};
    return detail::read_records(Source(folder.path("x.parquet")), task);
  };
  const Records last = read(edge, Instant::max());
  CHECK(last.size() == 1000);
  CHECK(last.source->records == static_cast<std::int64_t>(rows));
  CHECK(last.source->kept == static_cast<std::int64_t>(rows));
  CHECK(last.places->line(0) == (std::size_t{1} << 20) + 1);
  const Column level_back = last.values.column("level").as_numbers();
  CHECK(level_back.numbers()[0] == double{1 << 20});
  const Records first = read(Instant::min(), edge);
  CHECK(first.size() == (std::size_t{1} << 20));
  CHECK(first.source->records == static_cast<std::int64_t>(rows));
  CHECK(read(edge - std::chrono::milliseconds(1), Instant::max()).size() == 1000);
  CHECK(read(edge - std::chrono::milliseconds(10), Instant::max()).size() == rows);
  // Strands stand in the order in which they first appear: of records with a key none before the
  // last that are wanted is passed over.
  CHECK(read(edge, Instant::max(), "level").size() == rows);
  CHECK(read(Instant::min(), edge, "level").size() == (std::size_t{1} << 20));
}

TEST_CASE("rows that are passed over are read when later ones are wanted", "[parquet]") {
  const Folder folder;
  folder.put("x.parquet", three_rows([](MadeFile& file) {
               file.column("level", Physical::float64, true);
               std::string page;
               append_plain(page, std::uint32_t{2});
               append_hybrid(page, std::vector<std::uint32_t>{1, 1, 1}, 1);
               for (const double x : {1.5, 2.5, 3.5}) append_plain(page, x);
               file.page(page, page.size());
             }));
  const detail::SourceText text = detail::open_source(folder.path("x.parquet"));
  const detail::ParquetFile file(text);
  const auto columns = detail::columns_of(file.metadata(), "x", {});
  detail::ColumnReader reader(file, columns[1]);
  const auto read = [&](std::size_t rows) {
    detail::RowBatch::Cells cells;
    std::vector<std::uint32_t> badly_encoded;
    reader.next(rows, cells, badly_encoded);
    std::vector<double> numbers;
    for (const std::uint64_t bits : cells.bits) numbers.push_back(std::bit_cast<double>(bits));
    return numbers;
  };
  reader.begin(0);
  reader.pass(1);
  reader.pass(1);
  CHECK(read(1) == std::vector<double>{3.5});
  reader.end();
  // A group that nobody read to its end is left as it is.
  reader.begin(0);
  CHECK(read(2) == std::vector<double>{1.5, 2.5});
  reader.pass(1);
  reader.end();
}

TEST_CASE("Parquet and text are parts of one source, with the columns of their paths",
          "[parquet]") {
  const Folder folder;
  for (const char* site : {"site=pier", "site=quay"})
    fs::create_directories(folder.folder() / site);
  write(strand("00:00 1", "00:10 -"), folder.path("site=pier/a.parquet"));
  folder.put("site=quay/b.csv", "time,level,gear\n2025-10-20T00:05:00Z,2,pot\n");
  const Records both = read_records(folder.path("site=*/*"), {.key = "site"});
  REQUIRE(both.size() == 3);
  const Timeline timeline = settle(both);
  REQUIRE(timeline.strands().size() == 2);
  CHECK(*timeline.strands()[0].key == "pier");
  CHECK(readings(timeline, "level") == Readings{1, missing, 2});
  CHECK(texts(timeline, "gear") == std::vector<std::string>{"", "", "pot"});
  CHECK(both.places->line(1) == 2);
  CHECK(both.source->parts[0].has_rows());
  CHECK_FALSE(both.source->parts[1].has_rows());
}

}  // namespace zerobeat::testing
