// Compressed files and archives to the last byte: what is cut, damaged or followed by what does not
// belong to it is never read as less than there was.

#include "io/source/compressed.hpp"

#include <cstdlib>
#include <zerobeat/io/output.hpp>
#include <zerobeat/io/read.hpp>

#include "support/folder.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

/// So many records of a minute each, from a time on.
std::string records(int count, int from = 0) {
  std::string text;
  for (int i = from; i < from + count; ++i) {
    text += fmt::format("2025-10-20T{:02}:{:02}:00Z,{}\n", i / 60, i % 60, i * 37 % 101);
  }
  return text;
}
const std::string header = "time,level_m\n";

void run_in(const Folder& folder, const std::string& command) {
  const std::string words = "cd '" + folder.folder().string() + "' && " + command;
  REQUIRE(std::system(words.c_str()) == 0);
}

struct Codec {
  std::string ending;
  std::string command;  ///< packs standard input to standard output
};
const Codec codecs[] = {
    {"gz", "gzip -nc"}, {"bz2", "bzip2 -c"}, {"xz", "xz -c"}, {"zst", "zstd -qc"}};

std::string packed_by(const Codec& codec, const Folder& folder, const std::string& bytes) {
  folder.put("plain", bytes);
  run_in(folder, codec.command + " < plain > packed");
  return folder.get("packed");
}

/// The records of a file; -1 when it can't be read, and why.
std::int64_t records_in(const Folder& folder, const std::string& name, std::string& why) {
  try {
    return static_cast<std::int64_t>(read_records(folder.path(name)).size());
  } catch (const Error& error) {
    CHECK(error.kind() == Error::Kind::input);
    why = error.what();
    return -1;
  }
}

}  // namespace

TEST_CASE("streams that are joined are read to the last", "[compressed]") {
  for (const Codec& codec : codecs) {
    INFO(codec.ending);
    const Folder folder;
    const std::string name = "tide.csv." + codec.ending;
    const std::string one = packed_by(codec, folder, header + records(60));
    const std::string two = packed_by(codec, folder, records(50, 60));
    const std::string none = packed_by(codec, folder, "");
    std::string why;
    folder.put(name, one + two);
    CHECK(records_in(folder, name, why) == 110);
    folder.put(name, one + none + two + none);
    CHECK(records_in(folder, name, why) == 110);
  }
}

TEST_CASE("a compressed file that is cut anywhere is told so", "[compressed]") {
  for (const Codec& codec : codecs) {
    const Folder folder;
    const std::string name = "tide.csv." + codec.ending;
    const std::string one = packed_by(codec, folder, header + records(60));
    const std::string joined = one + packed_by(codec, folder, records(50, 60));
    for (std::size_t size = 1; size < joined.size(); ++size) {
      if (size == one.size()) continue;  // a whole file of one stream
      INFO(codec.ending << " of " << size << " bytes, of " << one.size() << " and "
                        << joined.size());
      folder.put(name, joined.substr(0, size));
      std::string why;
      REQUIRE(records_in(folder, name, why) == -1);
      const bool told = why.find("cut short") != std::string::npos ||
                        why.find("damaged") != std::string::npos ||
                        why.find("goes on with bytes that are not") != std::string::npos;
      REQUIRE(told);
      REQUIRE(why.find(name) != std::string::npos);
    }
  }
}

TEST_CASE("what follows a compressed file and is none of it is told", "[compressed]") {
  for (const Codec& codec : codecs) {
    const Folder folder;
    const std::string name = "tide.csv." + codec.ending;
    const std::string whole = packed_by(codec, folder, header + records(60));
    for (const std::string& junk : {std::string("junk"), std::string("x"), whole.substr(0, 1) + "?",
                                    std::string("\0\0\0\0junk", 8), header}) {
      INFO(codec.ending << " and " << junk);
      folder.put(name, whole + junk);
      std::string why;
      CHECK(records_in(folder, name, why) == -1);
      CHECK_THAT(why, Catch::Contains("byte ") && Catch::Contains("fetch it again"));
    }
    // Zeros after the last are padding, as tapes and disks leave it.
    folder.put(name, whole + std::string(1024, '\0'));
    std::string why;
    CHECK(records_in(folder, name, why) == 60);
  }
}

TEST_CASE("a flipped bit never gives other records", "[compressed]") {
  std::mt19937 random(7);
  for (const Codec& codec : codecs) {
    const Folder folder;
    const std::string name = "tide.csv." + codec.ending;
    const std::string whole = packed_by(codec, folder, header + records(200));
    folder.put(name, whole);
    const Records right = read_records(folder.path(name));
    int told = 0;
    for (int round = 0; round < 60; ++round) {
      std::string flipped = whole;
      const std::size_t at = random() % whole.size();
      flipped[at] = static_cast<char>(flipped[at] ^ (1 << random() % 8));
      INFO(codec.ending << ", byte " << at);
      folder.put(name, flipped);
      try {
        const Records records = read_records(folder.path(name));
        // Header fields that say nothing of the content, such as a time or a name.
        REQUIRE(records.times == right.times);
      } catch (const Error& error) {
        ++told;
        REQUIRE((error.kind() == Error::Kind::input || error.kind() == Error::Kind::limit));
      }
    }
    CHECK(told > 30);
  }
}

TEST_CASE("what a file is, its first bytes say", "[compressed]") {
  const auto container = [](const std::string& bytes, const std::string& name) {
    detail::SourceText text;
    text.name = name;
    text.text = bytes;
    return detail::container_of(text);
  };
  CHECK(container("time,x\n", "x.csv.gz") == detail::Container::none);
  CHECK(container("", "x.csv.gz") == detail::Container::none);
  CHECK(container("PK\x05\x06", "x.csv") == detail::Container::archive);
  CHECK(container("BZ", "berths.csv") == detail::Container::none);
  CHECK_THROWS_WITH(container("BZ", "berths.csv.bz2"),
                    Catch::Contains("berths.csv.bz2: byte 2: is cut short"));
  CHECK(detail::begins_as_packed("\x1f\x8b"));
  CHECK(!detail::begins_as_packed("time,x\n"));
}

TEST_CASE("an archive that is cut between two files is told so", "[compressed]") {
  const Folder folder;
  folder.put("a.csv", header + records(60));
  folder.put("b.csv", header + records(50));
  run_in(folder, "tar --format=ustar -cf both.tar a.csv b.csv && zip -q both.zip a.csv b.csv");
  ReadOptions options;
  options.member = "a.csv";
  for (const char* name : {"both.tar", "both.zip"}) {
    INFO(name);
    CHECK(read_records(folder.path(name), options).size() == 60);
    CHECK_THROWS_WITH(read_records(folder.path(name)), Catch::Contains("holds 2 files") &&
                                                           Catch::Contains("a.csv") &&
                                                           Catch::Contains("b.csv"));
    ReadOptions other;
    other.member = "c.csv";
    CHECK_THROWS_WITH(read_records(folder.path(name), other),
                      Catch::Contains("‹member› c.csv") && Catch::Contains("holds no such file"));
  }
  const std::string tar = folder.get("both.tar"), zip = folder.get("both.zip");
  // A header of 512 bytes, and the file in whole blocks.
  const std::size_t border = 512 + (folder.get("a.csv").size() + 511) / 512 * 512;
  for (const std::size_t size : {border, border + 512, std::size_t{1024}, border - 512}) {
    INFO(size);
    folder.put("cut.tar", tar.substr(0, size));
    CHECK_THROWS_WITH(read_records(folder.path("cut.tar"), options), Catch::Contains("cut short"));
  }
  folder.put("cut.tar", tar + "junk");
  CHECK_THROWS_WITH(read_records(folder.path("cut.tar"), options),
                    Catch::Contains("goes on with what does not belong to it"));
  for (const std::size_t size : {zip.size() - 1, zip.size() - 30, zip.size() / 2}) {
    INFO(size);
    folder.put("cut.zip", zip.substr(0, size));
    CHECK_THROWS_WITH(read_records(folder.path("cut.zip"), options), Catch::Contains("cut short"));
  }
  folder.put("cut.zip", zip + "junk");
  CHECK_THROWS_WITH(read_records(folder.path("cut.zip"), options),
                    Catch::Contains("goes on with what does not belong to it"));
}

TEST_CASE("a member is asked for of archives alone", "[compressed]") {
  const Folder folder;
  folder.put("a.csv", header + records(3));
  folder.put("a.csv.gz", packed(header + records(3), Compression::gzip));
  ReadOptions options;
  options.member = "a.csv";
  for (const char* name : {"a.csv", "a.csv.gz"}) {
    CHECK_THROWS_WITH(read_records(folder.path(name), options),
                      Catch::Contains("‹member› a.csv") && Catch::Contains("is no archive"));
  }
}

TEST_CASE("endings that pack are told apart from those that do not", "[compressed]") {
  CHECK(compression_of("level.csv.gz") == Compression::gzip);
  CHECK(compression_of("level.CSV.GZ") == Compression::gzip);
  CHECK(compression_of("level.arrow.zst") == Compression::zstd);
  CHECK(compression_of("level.gz.csv") == Compression::none);
  CHECK(compression_of(".gz") == Compression::none);
  CHECK(compression_of("gz") == Compression::none);
  const std::string text = header + records(100);
  for (const auto compression : {Compression::gzip, Compression::zstd}) {
    CHECK(packed(text, compression) == packed(text, compression));
    CHECK(packed(text, compression).size() < text.size());
  }
  CHECK(packed(text, Compression::none) == text);
}

}  // namespace zerobeat::testing
