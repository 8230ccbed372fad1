#include "console.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <pthread.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <chrono>
#include <condition_variable>
#include <csignal>
#include <cstdlib>
#include <mutex>
#include <thread>

namespace zerobeat::tool {

namespace {

/// The signals that end the program, but for those that it was started to ignore.
sigset_t ending_signals() {
  sigset_t ending;
  sigemptyset(&ending);
  for (const int number : {SIGINT, SIGTERM, SIGHUP}) {
    struct sigaction now {};
    sigaction(number, nullptr, &now);
    if (now.sa_handler != SIG_IGN) sigaddset(&ending, number);
  }
  return ending;
}

void wait_for_signals(sigset_t ending) {
  int number = 0;
  if (sigwait(&ending, &number) != 0) return;
  abandon_outputs();
  // Ends as the signal asks, so that whoever started this knows.
  std::signal(number, SIG_DFL);
  pthread_sigmask(SIG_UNBLOCK, &ending, nullptr);
  raise(number);
}

extern "C" void on_bus_error(int number, siginfo_t* about, void*) {
  if (about->si_code > 0 && mend_cut_page(about->si_addr)) return;
  std::signal(number, SIG_DFL);
}

void write_all(int descriptor, std::string_view text) {
  while (!text.empty()) {
    const ssize_t written = ::write(descriptor, text.data(), text.size());
    if (written < 0 && errno == EINTR) continue;
    if (written <= 0) return;
    text.remove_prefix(static_cast<std::size_t>(written));
  }
}

bool wants_color(int descriptor) {
  const char* no_color = std::getenv("NO_COLOR");
  return is_terminal(descriptor) && (no_color == nullptr || *no_color == '\0');
}

}  // namespace

void set_up_process() {
  for (int number = STDIN_FILENO; number <= STDERR_FILENO; ++number) {
    if (fcntl(number, F_GETFD) >= 0 || errno != EBADF) continue;
    // Data that goes to a closed output is an error, so that one can't be written to.
    const int got = open("/dev/null", number == STDERR_FILENO ? O_WRONLY : O_RDONLY);
    if (got >= 0 && got != number) close(got);
  }
  std::signal(SIGPIPE, SIG_IGN);
  std::signal(SIGXFSZ, SIG_IGN);  // a write past the limit of a file's size is an error like others
  struct sigaction bus {};
  bus.sa_sigaction = on_bus_error;
  bus.sa_flags = SA_SIGINFO;
  sigaction(SIGBUS, &bus, nullptr);
  const sigset_t ending = ending_signals();
  pthread_sigmask(SIG_BLOCK, &ending, nullptr);
  std::thread(wait_for_signals, ending).detach();
}

bool is_terminal(int descriptor) { return isatty(descriptor) != 0; }

void tell(const std::string& text) {
  if (!text.empty()) write_all(STDERR_FILENO, shown_lines(with_dashes(text)) + "\n");
}

void tell_error(const std::string& what) {
  const bool color = wants_color(STDERR_FILENO);
  write_all(STDERR_FILENO, fmt::format("{}zerobeat:{} {}\n", color ? "\033[1;31m" : "",
                                       color ? "\033[0m" : "", shown_lines(with_dashes(what))));
}

std::size_t line_width() {
  constexpr std::size_t usual = 100, least = 40;
  winsize size{};
  if (!is_terminal(STDOUT_FILENO) || ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) != 0) return usual;
  return size.ws_col < least ? usual : size.ws_col;
}

TerminalLook terminal_look() {
  constexpr int usual_rows = 30, most_rows = 60, prompt = 2;
  winsize size{};
  TerminalLook look{static_cast<int>(line_width()), usual_rows, wants_color(STDOUT_FILENO)};
  if (ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) == 0 && size.ws_row > prompt) {
    look.rows = std::min(most_rows, size.ws_row - prompt);
  }
  return look;
}

ReportLook report_look() {
  if (!is_terminal(STDOUT_FILENO)) return {};
  return {.width = line_width(), .color = wants_color(STDOUT_FILENO)};
}

struct ProgressBar::Bar {
  std::mutex mutex{};
  std::condition_variable wake{};
  Progress progress{};
  bool done = false;
  std::thread thread{};

  Bar() {
    thread = std::thread([this] { show(); });
  }

  void show() {
    std::unique_lock lock(mutex);
    auto wait = std::chrono::milliseconds(1000);
    bool any = false;
    while (!wake.wait_for(lock, wait, [this] { return done; })) {
      wait = std::chrono::milliseconds(100);
      if (progress.step.empty()) continue;
      const char* what = progress.step == "read" ? "reading" : "working";
      write_all(STDERR_FILENO, fmt::format("\r{}: {:3.0f} %", what, 100 * progress.share));
      any = true;
    }
    if (any) write_all(STDERR_FILENO, "\r\033[K");
  }
};

ProgressBar::ProgressBar(bool quiet) {
  if (!quiet && is_terminal(STDERR_FILENO)) bar_ = std::make_unique<Bar>();
}

ProgressBar::~ProgressBar() {
  if (bar_ == nullptr) return;
  {
    const std::lock_guard lock(bar_->mutex);
    bar_->done = true;
  }
  bar_->wake.notify_one();
  bar_->thread.join();
}

std::function<void(const Progress&)> ProgressBar::teller() const {
  if (bar_ == nullptr) return {};
  return [bar = bar_.get()](const Progress& progress) {
    const std::lock_guard lock(bar->mutex);
    bar->progress = progress;
  };
}

}  // namespace zerobeat::tool
