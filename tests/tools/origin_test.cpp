#include <fmt/format.h>

#include <nlohmann/json.hpp>

#include "support/tool.hpp"

namespace zerobeat::testing {

namespace {

constexpr const char* tide =
    "time,level_m\n2025-10-20T00:00:00Z,1\n2025-10-20T00:10:00Z,soon\n2025-10-20T00:20:00Z,3\n";

/// As another program finds it.
std::string sha256_of(const std::string& path) {
  const Folder folder;
  REQUIRE(std::system(fmt::format("sha256sum '{}' > '{}'", path, folder.path("sum")).c_str()) == 0);
  return folder.get("sum").substr(0, 64);
}

/// Whether each file of the list has the bytes and the digest that it is said to have.
void check_files(const Bench& bench, const nlohmann::json& files,
                 const std::vector<std::string>& names) {
  std::vector<std::string> found;
  for (const auto& file : files) {
    const std::string name = file["file"];
    found.push_back(name);
    if (name == "-") {
      CHECK(!file.contains("sha256"));
      continue;
    }
    CHECK(file["bytes"] == fs::file_size(bench.path(name)));
    CHECK(file["sha256"] == sha256_of(bench.path(name)));
  }
  CHECK(found == names);
}

}  // namespace

TEST_CASE("an account ends with where it came from", "[account]") {
  const Bench bench;
  bench.put("tide.csv", tide);
  bench.put("days.txt", "2025-10-21\n");
  REQUIRE(
      bench
          .run("resample tide.csv --number level_m --every 1d --holidays days.txt --rejects r.csv "
               "-o out.csv.gz --account a.json --as-plan p.toml")
          .exit == 0);
  const auto run = nlohmann::json::parse(bench.get("a.json"))["run"];
  CHECK(run["version"].get<std::string>() + "\n" == bench.run("--version").out);
  check_files(bench, run["inputs"], {"tide.csv", "days.txt"});
  check_files(bench, run["outputs"], {"out.csv.gz", "p.toml", "r.csv"});
  // The plan in it does the same.
  bench.put("again.toml", run["plan"].get<std::string>());
  const std::string first = bench.get("out.csv.gz");
  fs::remove(bench.folder() / "out.csv.gz");
  REQUIRE(bench.run("run again.toml --account b.json").exit == 0);
  CHECK(bench.get("out.csv.gz") == first);
  const auto again = nlohmann::json::parse(bench.get("b.json"))["run"];
  check_files(bench, again["inputs"], {"again.toml", "tide.csv", "days.txt"});
  CHECK(again["outputs"][0]["sha256"] == run["outputs"][0]["sha256"]);
}

TEST_CASE("what is no file has its name alone, and a passed limit has its origin, too",
          "[account]") {
  const Bench bench;
  bench.put("tide.csv", tide);
  REQUIRE(bench.run("settle - --tolerate 1 --account a.json", tide).exit == 0);
  const auto piped = nlohmann::json::parse(bench.get("a.json"))["run"];
  check_files(bench, piped["inputs"], {"-"});
  check_files(bench, piped["outputs"], {"-"});
  CHECK(bench.run("settle tide.csv --number level_m -o out.csv --account b.json").exit == 4);
  const auto failed = nlohmann::json::parse(bench.get("b.json"))["run"];
  check_files(bench, failed["inputs"], {"tide.csv"});
  CHECK(failed["outputs"].empty());
  REQUIRE(bench.run("check tide.csv --account c.json").exit == 0);
  check_files(bench, nlohmann::json::parse(bench.get("c.json"))["run"]["inputs"], {"tide.csv"});
}

}  // namespace zerobeat::testing
