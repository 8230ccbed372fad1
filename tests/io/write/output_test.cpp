// Outputs: whole or not at all, together or none, and what is left when a process ends.

#include <fcntl.h>
#include <sys/resource.h>
#include <sys/stat.h>
#include <sys/wait.h>

#include <csignal>
#include <functional>
#include <thread>
#include <zerobeat/io/output.hpp>

#include "support/folder.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

using Names = std::vector<std::string>;

unsigned mode_of(const std::string& path) {
  struct stat about {};
  REQUIRE(stat(path.c_str(), &about) == 0);
  return about.st_mode & 07777;
}

/// Whether a program of its own, which does this and ends, ends well.
template <typename Work>
bool in_a_process(Work&& work) {
  const pid_t child = fork();
  REQUIRE(child >= 0);
  if (child == 0) {
    bool good = false;
    try {
      good = work();
    } catch (...) {
    }
    _exit(good ? 0 : 1);
  }
  int status = 0;
  waitpid(child, &status, 0);
  return WIFEXITED(status) && WEXITSTATUS(status) == 0;
}

}  // namespace

TEST_CASE("a file that is never committed leaves nothing", "[output]") {
  const Folder folder;
  {
    Output output(folder.path("a.csv"));
    output.write("half");
    CHECK(!folder.has("a.csv"));
  }
  CHECK(folder.files().empty());
  folder.put("a.csv", "old");
  {
    Output output(folder.path("a.csv"));
    output.write("new");
  }
  CHECK(folder.get("a.csv") == "old");
  CHECK(folder.files() == Names{"a.csv"});
}

TEST_CASE("a file that is replaced keeps its mode, and a link stays one", "[output]") {
  const Folder folder;
  folder.put("real.csv", "old");
  REQUIRE(chmod(folder.path("real.csv").c_str(), 0640) == 0);
  fs::create_symlink("real.csv", folder.folder() / "link.csv");
  Output output(folder.path("link.csv"));
  output.write("new");
  output.commit();
  CHECK(fs::is_symlink(folder.folder() / "link.csv"));
  CHECK(folder.get("real.csv") == "new");
  CHECK(mode_of(folder.path("real.csv")) == 0640);
  CHECK(folder.files() == Names{"link.csv", "real.csv"});
}

TEST_CASE("a link to what is not there yet makes it", "[output]") {
  const Folder folder;
  fs::create_symlink("later.csv", folder.folder() / "a");
  fs::create_symlink("a", folder.folder() / "b");
  Output output(folder.path("b"));
  output.write("x");
  output.commit();
  CHECK(folder.get("later.csv") == "x");
  CHECK(fs::is_symlink(folder.folder() / "a"));
}

TEST_CASE("places that can't be written are refused by name", "[output]") {
  const Folder folder;
  CHECK(refusal(Error::Kind::output, [&] { Output(folder.folder().string()); }) ==
        folder.folder().string() + ": can't be written: Is a directory");
  CHECK(refusal(Error::Kind::output, [&] { Output(folder.path("none/a.csv")); }) ==
        folder.path("none/a.csv") + ": can't be written: No such file or directory");
  folder.put("file", "x");
  CHECK_THAT(refusal(Error::Kind::output, [&] { Output(folder.path("file/a.csv")); }),
             Catch::Contains("file/a.csv: can't be written: Not a directory"));
  CHECK(refusal(Error::Kind::output, [&] {
          Output full("/dev/full");
          full.write(std::string(100'000, 'x'));
        }) == "/dev/full: can't be written: No space left on device");
}

TEST_CASE("past the limit of a file's size there is an error and no file", "[output]") {
  const Folder folder;
  folder.put("a.csv", "old");
  CHECK(in_a_process([&] {
    std::signal(SIGXFSZ, SIG_IGN);
    const rlimit small{1'000, 1'000};
    if (setrlimit(RLIMIT_FSIZE, &small) != 0) return false;
    try {
      Output output(folder.path("a.csv"));
      output.write(std::string(100'000, 'x'));
      output.commit();
    } catch (const Error& error) {
      return std::string(error.what()).ends_with("can't be written: File too large");
    }
    return false;
  }));
  CHECK(folder.get("a.csv") == "old");
  CHECK(folder.files() == Names{"a.csv"});
}

TEST_CASE("several files are put in place together", "[output]") {
  const Folder folder;
  folder.put("a.csv", "old a");
  std::vector<Output> outputs;
  for (const char* name : {"a.csv", "b.csv", "c.csv"}) {
    outputs.emplace_back(folder.path(name));
    outputs.back().write(std::string("new ") + name);
  }
  bool between = false;
  commit_all(outputs, [&] {
    between = true;
    // All are on the disk, and none is in its place.
    CHECK(folder.get("a.csv") == "old a");
    CHECK(!folder.has("b.csv"));
  });
  CHECK(between);
  outputs.clear();
  CHECK(folder.files() == Names{"a.csv", "b.csv", "c.csv"});
  CHECK(folder.get("a.csv") == "new a.csv");
}

TEST_CASE("what is thrown between keeps every file from its place", "[output]") {
  const Folder folder;
  folder.put("a.csv", "old");
  {
    std::vector<Output> outputs;
    for (const char* name : {"a.csv", "b.csv"}) {
      outputs.emplace_back(folder.path(name));
      outputs.back().write("new");
    }
    CHECK_THROWS_WITH(commit_all(outputs, [] { fail_output("the database refused"); }),
                      "the database refused");
  }
  CHECK(folder.get("a.csv") == "old");
  CHECK(folder.files() == Names{"a.csv"});
}

TEST_CASE("when the last can't be put in place, the first ones are put back", "[output]") {
  const Folder folder;
  folder.put("a.csv", "old");
  {
    std::vector<Output> outputs;
    for (const char* name : {"a.csv", "b.csv", "c.csv"}) {
      outputs.emplace_back(folder.path(name));
      outputs.back().write("new");
    }
    CHECK_THROWS_WITH(
        commit_all(outputs, [&] { fs::create_directories(folder.folder() / "c.csv/full"); }),
        Catch::Contains("c.csv: can't be put in its place: Is a directory"));
  }
  CHECK(folder.get("a.csv") == "old");
  CHECK(folder.files() == Names{"a.csv", "c.csv"});
}

TEST_CASE("a name that is there for a while goes with its holder", "[output]") {
  const Folder folder;
  {
    TemporaryName name = TemporaryName::in(folder.folder().string(), ".sqlite");
    CHECK(name.path().ends_with(".sqlite"));
    CHECK(folder.files().size() == 1);
    CHECK((mode_of(name.path()) & 077) == 0);
    TemporaryName other = std::move(name);
    CHECK(folder.files().size() == 1);
    TemporaryName third = TemporaryName::in(folder.folder().string(), ".sqlite");
    CHECK(third.path() != other.path());
    third.release();
    CHECK(third.path().empty());
  }
  CHECK(folder.files().size() == 1);  // the one that was released
  CHECK_THAT(refusal(Error::Kind::output, [&] { TemporaryName::in(folder.path("none"), ".x"); }),
             Catch::Contains("no file can be made in it"));
}

TEST_CASE("abandoning removes what has a name and lets nothing more be put in place", "[output]") {
  const Folder folder;
  CHECK(in_a_process([&] {
    const TemporaryName name = TemporaryName::in(folder.folder().string(), ".sqlite");
    Output late(folder.path("late.csv"));
    late.write("x");
    if (outputs_abandoned()) return false;
    abandon_outputs();
    // Whoever would go on is told, and does not wait.
    const std::string told = refusal(Error::Kind::output, [&] { late.commit(); });
    const std::string next =
        refusal(Error::Kind::output, [&] { Output(folder.path("next.csv")).commit(); });
    return outputs_abandoned() && folder.files().empty() && told == next &&
           told == "outputs were abandoned: nothing more is written";
  }));
  CHECK(folder.files().empty());
}

TEST_CASE("a reader that goes away is no error", "[output]") {
  const Folder folder;
  const std::string pipe = folder.path("pipe");
  REQUIRE(mkfifo(pipe.c_str(), 0600) == 0);
  CHECK(in_a_process([&] {
    std::signal(SIGPIPE, SIG_IGN);
    std::thread reader([&] {
      const int descriptor = open(pipe.c_str(), O_RDONLY);
      char byte;
      [[maybe_unused]] const auto got = ::read(descriptor, &byte, 1);
      close(descriptor);
    });
    Output output(pipe);
    if (!output.is_direct()) return false;
    for (int i = 0; i < 100 && !output.reader_gone(); ++i) output.write(std::string(100'000, 'x'));
    reader.join();
    output.commit();
    return output.reader_gone();
  }));
}

TEST_CASE("a device is written to directly", "[output]") {
  Output output("/dev/null");
  CHECK(output.is_direct());
  output.write("x");
  output.commit();
  CHECK(!output.reader_gone());
}

}  // namespace zerobeat::testing
