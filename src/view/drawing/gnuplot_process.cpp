#include "view/drawing/gnuplot_process.hpp"

#include <fcntl.h>
#include <poll.h>
#include <spawn.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <unistd.h>

#include <array>
#include <cerrno>
#include <csignal>
#include <cstring>
#include <utility>
#include <zerobeat/base/error.hpp>

extern char** environ;

namespace zerobeat::inline v1::detail {

namespace {

/// A descriptor that is closed at the end of the scope.
class Descriptor {
 public:
  explicit Descriptor(int number = -1) : number_(number) {}
  Descriptor(const Descriptor&) = delete;
  Descriptor& operator=(const Descriptor&) = delete;
  ~Descriptor() { close(); }

  int get() const { return number_; }
  bool is_open() const { return number_ >= 0; }
  void take(int number) {
    close();
    number_ = number;
  }
  void close() {
    if (number_ >= 0) ::close(std::exchange(number_, -1));
  }

 private:
  int number_;
};

[[noreturn]] void fail_system(const char* what) {
  fail_output("gnuplot can't be run: {}: {}", what, std::strerror(errno));
}

/// Both ends of a pipe; the child's is closed here when it has it.
struct Pipe {
  Descriptor mine, theirs;

  Pipe() {
    int ends[2];
    if (pipe2(ends, O_CLOEXEC) != 0) fail_system("no pipe");
    mine.take(ends[0]);
    theirs.take(ends[1]);
  }
};

/// A socket to write a script to: unlike with a pipe, a reader that goes away is no signal.
struct Socket {
  Descriptor mine, theirs;

  Socket() {
    int ends[2];
    if (socketpair(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0, ends) != 0) fail_system("no socket");
    mine.take(ends[0]);
    theirs.take(ends[1]);
  }
};

pid_t start_gnuplot(const Socket& script, const Pipe& picture, const Pipe& messages) {
  posix_spawn_file_actions_t files;
  posix_spawn_file_actions_init(&files);
  posix_spawn_file_actions_adddup2(&files, script.theirs.get(), STDIN_FILENO);
  posix_spawn_file_actions_adddup2(&files, picture.theirs.get(), STDOUT_FILENO);
  posix_spawn_file_actions_adddup2(&files, messages.theirs.get(), STDERR_FILENO);
  // Whatever signals this program blocks or ignores, the other one does not.
  posix_spawnattr_t how;
  posix_spawnattr_init(&how);
  sigset_t none, usual;
  sigemptyset(&none);
  sigemptyset(&usual);
  for (const int number : {SIGINT, SIGTERM, SIGHUP, SIGPIPE}) sigaddset(&usual, number);
  posix_spawnattr_setsigmask(&how, &none);
  posix_spawnattr_setsigdefault(&how, &usual);
  posix_spawnattr_setflags(&how, POSIX_SPAWN_SETSIGMASK | POSIX_SPAWN_SETSIGDEF);
  char name[] = "gnuplot";
  char* const words[] = {name, nullptr};
  pid_t child = -1;
  const int error = posix_spawnp(&child, name, &files, &how, words, environ);
  posix_spawnattr_destroy(&how);
  posix_spawn_file_actions_destroy(&files);
  if (error == ENOENT) {
    fail_output("gnuplot is not there to draw with; install the package gnuplot-nox");
  }
  if (error != 0) {
    errno = error;
    fail_system("no process");
  }
  return child;
}

/// Appends what there is to read; closes at the end.
void read_some(Descriptor& from, std::string& into) {
  std::array<char, 65536> block;
  const ssize_t got = read(from.get(), block.data(), block.size());
  if (got > 0) {
    into.append(block.data(), static_cast<std::size_t>(got));
  } else if (got == 0 || errno != EINTR) {
    from.close();
  }
}

}  // namespace

GnuplotRun run_gnuplot(std::string_view script) {
  Socket in;
  Pipe out, errors;
  const pid_t child = start_gnuplot(in, out, errors);
  in.theirs.close();
  out.theirs.close();
  errors.theirs.close();
  GnuplotRun drawn;
  while (out.mine.is_open() || errors.mine.is_open()) {
    pollfd ends[] = {
        {in.mine.get(), POLLOUT, 0}, {out.mine.get(), POLLIN, 0}, {errors.mine.get(), POLLIN, 0}};
    if (poll(ends, 3, -1) < 0 && errno != EINTR) break;
    if (in.mine.is_open() && ends[0].revents != 0) {
      const ssize_t sent =
          send(in.mine.get(), script.data(), script.size(), MSG_NOSIGNAL | MSG_DONTWAIT);
      if (sent > 0) script.remove_prefix(static_cast<std::size_t>(sent));
      const bool failed = sent < 0 && errno != EINTR && errno != EAGAIN;
      if (script.empty() || failed) in.mine.close();
    }
    if (out.mine.is_open() && ends[1].revents != 0) read_some(out.mine, drawn.picture);
    if (errors.mine.is_open() && ends[2].revents != 0) read_some(errors.mine, drawn.messages);
  }
  while (waitpid(child, &drawn.status, 0) < 0 && errno == EINTR) {
  }
  return drawn;
}

}  // namespace zerobeat::detail
