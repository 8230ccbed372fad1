#include "view/gnuplot.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <poll.h>
#include <spawn.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <csignal>
#include <cstring>
#include <zerobeat/base/error.hpp>
#include <zerobeat/base/text.hpp>

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

struct Drawn {
  std::string picture;
  std::string messages;
  int status = 0;
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

/// Runs gnuplot on a script and takes what it draws: no shell, no file.
Drawn run_gnuplot(std::string_view script) {
  Socket in;
  Pipe out, errors;
  const pid_t child = start_gnuplot(in, out, errors);
  in.theirs.close();
  out.theirs.close();
  errors.theirs.close();
  Drawn drawn;
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

/// Whether a picture is there from its first byte to its last.
bool is_whole(const std::string& picture, bool svg) {
  if (svg) {
    const std::size_t end = picture.find_last_not_of(" \r\n");
    return picture.find("<svg") != std::string::npos && end != std::string::npos &&
           picture.substr(0, end + 1).ends_with("</svg>");
  }
  using namespace std::string_view_literals;
  return picture.starts_with("\x89PNG\r\n\x1a\n"sv) && picture.size() > 20 &&
         picture.ends_with("IEND\xae\x42\x60\x82"sv);
}

/// Text within an XML element.
std::string xml_text(std::string_view text) {
  std::string out;
  for (const char c : text) {
    out += c == '&' ? "&amp;" : c == '<' ? "&lt;" : c == '>' ? "&gt;" : std::string(1, c);
  }
  return out;
}

/// Puts a text into the first element of that name.
void put_element(std::string& svg, const std::string& name, std::string_view text) {
  const std::size_t begin = svg.find("<" + name + ">");
  const std::size_t end = svg.find("</" + name + ">", begin);
  if (begin == std::string::npos || end == std::string::npos) return;
  const std::size_t from = begin + name.size() + 2;
  svg.replace(from, end - from, xml_text(text));
}

/// Lines are named by what the key calls them; gnuplot names them by the text it wrote last.
void name_lines(std::string& svg) {
  constexpr std::string_view group = "<g id=\"gnuplot_plot_", begin = "<title>", end = "</title>";
  for (std::size_t at = svg.find(group); at != std::string::npos;) {
    const std::size_t from = svg.find(begin, at) + begin.size();
    const std::size_t length = svg.find(end, from) - from;
    const std::size_t next = svg.find(group, from);
    const std::size_t text = svg.find("<text>", from);
    std::string name;
    if (text < std::min(next, svg.size())) {
      name = svg.substr(text + 6, svg.find("</text>", text) - text - 6);
    }
    svg.replace(from, length, name);
    at = svg.find(group, from);
  }
}

}  // namespace

/// Text as gnuplot's double-quoted string.
std::string in_quotes(std::string_view text) {
  std::string out = "\"";
  for (const char c : shown(text, 80)) {
    if (c == '"' || c == '\\') out += '\\';
    out += c == '`' ? ' ' : c;
  }
  return out + "\"";
}

std::string plain_frame() {
  return "set border 3 linecolor rgb \"#5a6670\"\n"
         "set grid xtics ytics linecolor rgb \"#e3e8ec\" linewidth 1 linetype 1\n"
         "set tics nomirror scale 0.6 textcolor rgb \"#333c44\"\n";
}

std::string layout_of(std::size_t panels) {
  const std::size_t across = panels > 3 ? 2 : 1;
  return fmt::format("set multiplot layout {},{}\n", (panels + across - 1) / across, across);
}

void draw(const std::string& script, const Caption& caption, const Size& size, Output& output,
          const std::string& path) {
  const bool svg = is_svg(path);
  Drawn drawn =
      run_gnuplot(fmt::format("set terminal {} size {},{} font \"DejaVu Sans,11\" noenhanced\n"
                              "set encoding utf8\n{}\nunset output\n",
                              svg ? "svg" : "pngcairo", size.width, size.height, script));
  constexpr std::size_t most_message = 500;
  if (drawn.status != 0 || !is_whole(drawn.picture, svg)) {
    fail_output("{}: gnuplot could not draw it: {}", shown(path, most_message),
                drawn.messages.empty()
                    ? fmt::format("it said nothing, and wrote {} bytes", drawn.picture.size())
                    : shown(drawn.messages, most_message));
  }
  if (svg) {
    name_lines(drawn.picture);
    put_element(drawn.picture, "title", caption.title);
    put_element(drawn.picture, "desc", caption.description);
  }
  output.write(drawn.picture);
}

bool is_svg(const std::string& path) {
  const std::size_t dot = path.rfind('.');
  std::string ending = dot == std::string::npos ? "" : path.substr(dot);
  for (char& c : ending) c = c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c;
  if (ending != ".svg" && ending != ".png") {
    fail_usage("{}: a figure's file ends in .png or .svg", shown(path));
  }
  return ending == ".svg";
}

}  // namespace zerobeat::detail
