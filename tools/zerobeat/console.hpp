/// The process around the work: its descriptors, its signals, its terminal, and what it says.

#pragma once

#include <algorithm>
#include <functional>
#include <memory>
#include <string>
#include <zerobeat/zerobeat.hpp>

namespace zerobeat::tool {

/// Opens what is closed of descriptors 0 to 2, so that no file gets their numbers; ignores broken
/// pipes; has a thread wait for the signals that end the program, which leaves nothing half-written
/// behind; and meets a source that is cut short while it is read. Before any thread is started.
void set_up_process();

/// Writes to standard error, what can't be shown as escapes. What it can't take is lost.
void tell(const std::string& text);
/// "zerobeat: …", in colour where that is welcome.
void tell_error(const std::string& what);

/// How a report looks on standard output.
ReportLook report_look();
/// How a picture looks in the terminal that standard output is.
TerminalLook terminal_look();
/// Letters in a line of standard output.
std::size_t line_width();
bool is_terminal(int descriptor);

/// Shows how far a run is, from the second second on, while it is alive.
class ProgressBar {
 public:
  explicit ProgressBar(bool quiet);
  ~ProgressBar();
  ProgressBar(const ProgressBar&) = delete;
  ProgressBar& operator=(const ProgressBar&) = delete;

  /// What tells it; nothing when it shows nothing.
  std::function<void(const Progress&)> teller() const;

 private:
  struct Bar;
  std::unique_ptr<Bar> bar_;
};

}  // namespace zerobeat::tool
