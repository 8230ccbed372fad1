#include <zerobeat/io/digest.hpp>
#include <zerobeat/io/output.hpp>

#include "support/folder.hpp"

namespace zerobeat::testing {

TEST_CASE("a digest is SHA-256, of pieces as of the whole", "[digest]") {
  // FIPS 180-4's example of "abc", and of nothing.
  Digest digest;
  CHECK(digest.value() ==
        FileDigest{0, "e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855"});
  digest.add("a");
  digest.add("bc");
  CHECK(digest.value() ==
        FileDigest{3, "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad"});
  // More may come after it was told.
  digest.add("dbcdecdefdefgefghfghighijhijkijkljklmklmnlmnomnopnopq");
  CHECK(digest.value().sha256 ==
        "248d6a61d20638b8e5c026930c3e6039a33ce45964ff2167f6ecedd419db06c1");
}

TEST_CASE("an output's digest is that of the file that it becomes, packed or not", "[digest]") {
  const Folder folder;
  for (const Compression compression : {Compression::none, Compression::gzip, Compression::zstd}) {
    const std::string path = folder.path("level.csv");
    Output output(path);
    output.compress(compression);
    CHECK(!output.digest());
  }
  for (const Compression compression : {Compression::none, Compression::gzip, Compression::zstd}) {
    const std::string path = folder.path("level.csv");
    Output output(path);
    output.keep_digest();
    output.compress(compression);
    output.write("time,level\n");
    output.write("2025-10-20,1\n");
    const auto digest = output.digest();
    output.commit();
    REQUIRE(digest);
    CHECK(digest == digest_of_file(path));
    CHECK(digest->bytes == folder.get("level.csv").size());
  }
  CHECK(!digest_of_file(folder.path("nothere.csv")));
  CHECK(!digest_of_file("/dev/null"));
  CHECK(!digest_of_file(folder.path("")));
}

}  // namespace zerobeat::testing
