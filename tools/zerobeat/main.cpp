#include <fmt/format.h>
#include <unistd.h>

#include <filesystem>
#include <new>

#include "build.hpp"
#include "console.hpp"
#include "harbour.hpp"

namespace {

using namespace zerobeat;
using namespace zerobeat::tool;

void put(const std::string& text) {
  Output output("-");
  output.write(with_dashes(text));
}

void check(const Asked& asked) {
  const JudgeOptions judging{
      .gap_factor = asked.check.gap_factor,
      .calendar = read_calendar(asked.check.days),
      .now = std::chrono::time_point_cast<Nanoseconds>(std::chrono::system_clock::now())};
  std::optional<Judged> judged;
  {
    const ProgressBar bar(asked.general.quiet);
    const RunOptions options{.account = asked.general.account, .progress = bar.teller()};
    judged = judge_sources(asked.plan, judging, options, asked.check.tune);
  }
  std::string report;
  if (asked.check.json) {
    report = report_json(judged->judgements);
  } else {
    for (const Judgement& judgement : judged->judgements) {
      report += (report.empty() ? "" : "\n") + report_text(judgement, report_look());
    }
  }
  put(report);
  if (judged->passed_limit) throw *judged->passed_limit;
}

std::vector<std::string> run_and_tell(const Plan& plan, RunOptions options, const General& general,
                                      bool with_ledger) {
  options.account = general.account;
  if (is_terminal(STDOUT_FILENO)) {
    options.text_width = line_width();
    options.terminal = terminal_look();
  }
  std::optional<RunResult> result;
  {
    const ProgressBar bar(general.quiet);
    options.progress = bar.teller();
    result = run_plan(plan, options);
  }
  if (general.quiet || result->reader_gone) return result->written;
  if (with_ledger) {
    std::string text = ledger_text(result->account);
    for (const auto& file : result->written) text += "\nwrote " + file;
    tell(text);
  } else {
    tell(to_text(result->account));
  }
  return result->written;
}

std::string one_plan(const ChainPart& part) {
  if (part.files.size() != 1) fail_usage("{0}: name one plan: {0} PLAN.toml", part.command);
  return part.files[0];
}

void work(const Asked& asked, const std::vector<ChainPart>& parts) {
  const ChainPart& first = parts[0];
  switch (command_of(first.command).kind) {
    case Command::Kind::check:
      return check(asked);
    case Command::Kind::run:
      run_and_tell(load_plan_and_look(one_plan(first)), {.causal = asked.run.causal}, asked.general,
                   true);
      return;
    case Command::Kind::explain:
      if (!asked.general.account.empty()) {
        fail_usage("explain: --account {}: nothing is done, so there is no account; see run",
                   asked.general.account.path);
      }
      return put(explain_plan(load_plan_and_look(one_plan(first))));
    case Command::Kind::demo: {
      if (first.files.size() > 1) fail_usage("demo: name one folder: demo FOLDER");
      const std::string folder = first.files.empty() ? "zerobeat-demo" : first.files[0];
      write_harbour(folder);
      if (!asked.general.quiet) {
        tell(fmt::format("the harbour's records and its plan are in {}\n", folder));
      }
      const std::string plan = (std::filesystem::path(folder) / "plan.toml").string();
      return note_outputs(folder, run_and_tell(load_plan(plan), {}, asked.general, true));
    }
    default:
      run_and_tell(asked.plan, {.as_plan = asked.planned.as_plan}, asked.general, false);
  }
}

void run_with_threads(const Asked& asked, const std::vector<ChainPart>& parts) {
  const auto threads = asked.general.threads;
  if (!threads) return work(asked, parts);
  if (*threads < 1 || *threads > 1024) {
    fail_usage("{}: --threads {}: from 1 to 1024", parts[0].command, *threads);
  }
  with_threads(static_cast<int>(*threads), [&] { work(asked, parts); });
}

/// What is nested in an error when that is none of the library's own.
std::optional<std::string> unexpected_cause(const Error& error) {
  try {
    std::rethrow_if_nested(error);
  } catch (const Error&) {
  } catch (const std::bad_alloc&) {
  } catch (const std::exception& other) {
    return other.what();
  }
  return std::nullopt;
}

int unexpected(const std::string& what) {
  tell_error("this should not happen: " + what);
  return 70;  // EX_SOFTWARE of sysexits.h
}

int run(const std::vector<std::string>& words) {
  if (words.empty()) {
    tell(help_of_tool(line_width()));
    return static_cast<int>(Error::Kind::usage);
  }
  const std::string& first = words[0];
  const bool asks_help = first == "help" || first == "--help" || first == "-h";
  if (asks_help && words.size() < 2) return put(help_of_tool(line_width())), 0;
  if (asks_help) return put(help_of(command_of(words[1]), line_width())), 0;
  if (first == "--version") return put(std::string(zerobeat::version()) + "\n"), 0;
  if (first == "reference") return put(reference_page()), 0;
  if (first.starts_with("-")) {
    fail_usage(
        "a command comes first, then its options: zerobeat COMMAND {} …; zerobeat help lists "
        "them",
        shown(first));
  }
  const auto parts = read_parts(words);
  for (const ChainPart& part : parts) {
    if (part.help) return put(help_of(command_of(part.command), line_width())), 0;
  }
  run_with_threads(build(parts), parts);
  return 0;
}

}  // namespace

int main(int argc, char** argv) {
  set_up_process();
  try {
    return run({argv + 1, argv + argc});
  } catch (const Error& error) {
    // The thread that abandoned the outputs is about to end the program as the signal asks.
    while (outputs_abandoned()) pause();
    if (const auto other = unexpected_cause(error)) return unexpected(*other);
    tell_error(error.what());
    return static_cast<int>(error.kind());
  } catch (const std::bad_alloc&) {
    tell_error("there is not enough memory for this");
    return static_cast<int>(Error::Kind::input);
  } catch (const std::exception& error) {
    return unexpected(error.what());
  }
}
