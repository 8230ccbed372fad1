#include "view/gnuplot.hpp"

#include <fcntl.h>
#include <sys/wait.h>
#include <unistd.h>

#include <csignal>
#include <cstdio>
#include <cstring>
#include <fstream>
#include <sstream>
#include <zerobeat/error.hpp>

namespace zerobeat::detail {

namespace {

/// A name for a file that is gone at the end of the scope.
struct TemporaryFile {
  TemporaryFile() {
    const char* folder = std::getenv("TMPDIR");
    path = std::string(folder != nullptr && *folder != '\0' ? folder : "/tmp") + "/zerobeat.XXXXXX";
    const int descriptor = mkostemp(path.data(), O_CLOEXEC);
    if (descriptor < 0) fail_output("{}: {}", path, std::strerror(errno));
    close(descriptor);
  }
  ~TemporaryFile() { unlink(path.c_str()); }
  TemporaryFile(const TemporaryFile&) = delete;
  TemporaryFile& operator=(const TemporaryFile&) = delete;

  std::string content() const {
    std::ifstream file(path, std::ios::binary);
    std::stringstream bytes;
    bytes << file.rdbuf();
    return std::move(bytes).str();
  }

  std::string path;
};

bool ends_with(std::string_view text, std::string_view ending) {
  return text.size() >= ending.size() && text.substr(text.size() - ending.size()) == ending;
}

/// Runs gnuplot on a script. Its reader may go away early, which is no reason to be killed.
void run_gnuplot(const std::string& script) {
  const TemporaryFile messages;
  struct sigaction ignore {
  }, before{};
  ignore.sa_handler = SIG_IGN;
  sigaction(SIGPIPE, &ignore, &before);
  FILE* pipe = popen(fmt::format("gnuplot 2> {}", messages.path).c_str(), "w");
  int status = -1;
  if (pipe != nullptr) {
    std::fwrite(script.data(), 1, script.size(), pipe);
    status = pclose(pipe);
  }
  sigaction(SIGPIPE, &before, nullptr);
  constexpr int not_found = 127;
  if (pipe == nullptr || (WIFEXITED(status) && WEXITSTATUS(status) == not_found)) {
    fail_output("gnuplot is not there to draw with; install the package gnuplot-nox");
  }
  if (status != 0) fail_output("gnuplot could not draw: {}", messages.content());
}

}  // namespace

/// Text as gnuplot's double-quoted string.
std::string quoted(std::string_view text) {
  std::string out = "\"";
  for (const char c : text) {
    if (c == '"' || c == '\\') out += '\\';
    out += c == '\n' || c == '`' ? ' ' : c;
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

void draw(const std::string& script, const Size& size, Output& output, const std::string& path) {
  const char* terminal = ends_with(path, ".svg")   ? "svg"
                         : ends_with(path, ".png") ? "pngcairo"
                                                   : nullptr;
  if (terminal == nullptr) {
    fail_usage("{}: a figure's file ends in .png or .svg", path);
  }
  const TemporaryFile drawing;
  run_gnuplot(
      fmt::format("set terminal {} size {},{} font \"DejaVu Sans,11\" noenhanced\n"
                  "set output {}\n{}\nunset output\n",
                  terminal, size.width, size.height, quoted(drawing.path), script));
  output.write(drawing.content());
}

}  // namespace zerobeat::detail
