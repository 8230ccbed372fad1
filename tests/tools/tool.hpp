/// The real binary, run as a user runs it.

#pragma once

#include <fcntl.h>
#include <sys/wait.h>
#include <unistd.h>

#include <catch2/catch.hpp>
#include <chrono>
#include <csignal>
#include <filesystem>
#include <fstream>
#include <sstream>
#include <string>
#include <thread>
#include <vector>

namespace zerobeat::testing {

namespace fs = std::filesystem;

inline std::string content(const fs::path& path) {
  std::ifstream file(path, std::ios::binary);
  std::stringstream text;
  text << file.rdbuf();
  return text.str();
}

struct Result {
  int exit = -1;
  std::string out;
  std::string err;
};

/// A folder of its own in which the tool runs; gone at the end of the test.
class Bench {
 public:
  Bench() {
    std::string pattern = (fs::temp_directory_path() / "zerobeat_tool.XXXXXX").string();
    REQUIRE(mkdtemp(pattern.data()) != nullptr);
    folder_ = pattern;
  }
  ~Bench() { fs::remove_all(folder_); }

  void put(const std::string& name, const std::string& text) const {
    std::ofstream(folder_ / name, std::ios::binary) << text;
  }
  std::string get(const std::string& name) const { return content(folder_ / name); }
  bool has(const std::string& name) const { return fs::exists(folder_ / name); }
  const fs::path& folder() const { return folder_; }

  /// Names of all files here, hidden ones too.
  std::vector<std::string> files() const {
    std::vector<std::string> names;
    for (const auto& entry : fs::directory_iterator(folder_)) {
      names.push_back(entry.path().filename().string());
    }
    std::sort(names.begin(), names.end());
    return names;
  }

  /// Runs the tool with a shell's words.
  Result run(const std::string& words, const std::string& input = "") const {
    const fs::path out = fs::path(folder_.string() + ".out"),
                   err = fs::path(folder_.string() + ".err"),
                   in = fs::path(folder_.string() + ".in");
    std::ofstream(in, std::ios::binary) << input;
    const std::string command = "cd '" + folder_.string() + "' && '" + ZEROBEAT_TOOL + "' " +
                                words + " > '" + out.string() + "' 2> '" + err.string() + "' < '" +
                                in.string() + "'";
    const int status = std::system(command.c_str());
    Result result;
    result.exit = WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
    result.out = content(out);
    result.err = content(err);
    for (const auto& path : {out, err, in}) fs::remove(path);
    return result;
  }

 private:
  fs::path folder_;
};

/// The plan that a command writes gives the same bytes when it is run.
inline void check_plan_of(const Bench& bench, const std::string& words) {
  INFO(words);
  const Result direct = bench.run(words + " --quiet -o direct.csv --as-plan as_plan.toml");
  INFO(direct.err);
  REQUIRE(direct.exit == 0);
  const std::string bytes = bench.get("direct.csv");
  fs::remove(bench.folder() / "direct.csv");
  const Result planned = bench.run("run as_plan.toml --quiet");
  INFO(planned.err << bench.get("as_plan.toml"));
  CHECK(planned.exit == 0);
  CHECK(bench.get("direct.csv") == bytes);
}

}  // namespace zerobeat::testing
