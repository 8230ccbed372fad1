#include <tbb/global_control.h>
#include <tbb/task_arena.h>
#include <unistd.h>

#include <csignal>
#include <cstdio>
#include <cstdlib>
#include <new>

#include "command.hpp"

namespace {

using namespace zerobeat;
using namespace zerobeat::tool;

constexpr const char* version = "0.1.0";

/// Leaves nothing half-written behind, then ends as the signal asked.
extern "C" void on_signal(int number) {
  abandon_outputs();
  std::signal(number, SIG_DFL);
  std::raise(number);
}

bool wants_color() {
  const char* no_color = std::getenv("NO_COLOR");
  return isatty(STDERR_FILENO) != 0 && (no_color == nullptr || *no_color == '\0');
}

void tell_error(const std::string& what) {
  const bool color = wants_color();
  fmt::print(stderr, "{}zerobeat:{} {}\n", color ? "\033[1;31m" : "", color ? "\033[0m" : "", what);
}

/// A first word that is no command is a slip of typing, not an operand.
void check_command_name(int argc, char** argv,
                        const std::vector<std::unique_ptr<Command>>& commands) {
  if (argc < 2 || argv[1][0] == '-') return;
  std::vector<std::string> names{"reference"};
  for (const auto& command : commands) names.push_back(command->name());
  const std::string word = argv[1];
  if (std::find(names.begin(), names.end(), word) == names.end()) {
    fail_usage("\"{}\" is not a command{}", word, did_you_mean(word, names));
  }
}

void run_with_threads(Command& command) {
  const auto threads = command.general.threads;
  if (!threads) return command.run();
  if (*threads < 1 || *threads > 1024) {
    fail_usage("{}: --threads {}: from 1 to 1024", command.name(), *threads);
  }
  const auto n = static_cast<int>(*threads);
  const tbb::global_control limit(tbb::global_control::max_allowed_parallelism,
                                  static_cast<std::size_t>(n));
  tbb::task_arena arena(n);
  arena.execute([&] { command.run(); });
}

int run(int argc, char** argv) {
  auto commands = all_commands();
  check_command_name(argc, argv, commands);
  CLI::App app("Timestamped records onto one common beat, with every record accounted for.",
               "zerobeat");
  app.set_version_flag("--version", version);
  app.require_subcommand(0, 1);
  app.get_formatter()->column_width(34);
  for (auto& command : commands) command->add_to(app);
  CLI::App* reference =
      app.add_subcommand("reference", "print the reference of all commands, in Markdown");
  try {
    app.parse(argc, argv);
  } catch (const CLI::ParseError& error) {
    if (error.get_exit_code() == 0) return app.exit(error);  // help and version
    throw Error(Error::Kind::usage, error.what());
  }
  if (reference->parsed()) {
    Output output("-");
    output.write(reference_page(commands));
    return 0;
  }
  for (auto& command : commands) {
    if (!command->was_called()) continue;
    command->take_given();
    run_with_threads(*command);
    return 0;
  }
  fmt::print(stderr, "{}", app.help());
  return static_cast<int>(Error::Kind::usage);
}

}  // namespace

int main(int argc, char** argv) {
  std::signal(SIGPIPE, SIG_IGN);
  for (const int number : {SIGINT, SIGTERM, SIGHUP}) std::signal(number, on_signal);
  try {
    return run(argc, argv);
  } catch (const Error& error) {
    tell_error(error.what());
    return static_cast<int>(error.kind());
  } catch (const std::bad_alloc&) {
    tell_error("there is not enough memory for this");
    return static_cast<int>(Error::Kind::input);
  } catch (const std::exception& error) {
    tell_error(fmt::format("this should not happen: {}", error.what()));
    return 70;  // EX_SOFTWARE of sysexits.h
  }
}
