/// The real binary, run as a user runs it.

#pragma once

#include <fcntl.h>
#include <sys/resource.h>
#include <sys/wait.h>

#include <chrono>
#include <csignal>
#include <cstdlib>
#include <stdexcept>
#include <thread>

#include "support/folder.hpp"

namespace zerobeat::testing {

/// The address sanitizer takes terabytes of addresses: no limit on memory can be put under it.
constexpr bool memory_limits = !ZEROBEAT_TOOL_CHECKED;

struct Result {
  int exit = -1;
  std::string out;
  std::string err;
};

/// A folder of its own in which the tool runs; gone at the end of the test.
class Bench : public Folder {
 public:
  /// Runs the tool with a shell's words.
  Result run(const std::string& words, const std::string& input = "") const {
    const fs::path out = fs::path(folder().string() + ".out"),
                   err = fs::path(folder().string() + ".err"),
                   in = fs::path(folder().string() + ".in");
    std::ofstream(in, std::ios::binary) << input;
    const std::string command = "cd '" + folder().string() + "' && '" + ZEROBEAT_TOOL + "' " +
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

  /// The same with no more than so much of a resource, as setrlimit(2) counts it.
  Result run_within(int resource, rlim_t most, const std::string& words) const {
    rlimit before{};
    getrlimit(resource, &before);
    const rlimit small{most, before.rlim_max};
    if (setrlimit(resource, &small) != 0) throw std::runtime_error("no such limit");
    Result result = run(words);
    setrlimit(resource, &before);
    return result;
  }
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
