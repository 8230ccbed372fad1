// Runs a command and prints its wall seconds and its peak memory in KiB; its output is thrown
// away. usage: measure COMMAND ARGUMENT…

#include <fcntl.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <cstdio>

int main(int argc, char** argv) {
  if (argc < 2) return 2;
  const auto start = std::chrono::steady_clock::now();
  const pid_t child = fork();
  if (child == 0) {
    const int nowhere = open("/dev/null", O_WRONLY);
    dup2(nowhere, STDOUT_FILENO);
    execvp(argv[1], argv + 1);
    _exit(127);
  }
  int status = 0;
  struct rusage use {};
  wait4(child, &status, 0, &use);
  const std::chrono::duration<double> taken = std::chrono::steady_clock::now() - start;
  std::printf("%.4f %ld\n", taken.count(), use.ru_maxrss);
  return WIFEXITED(status) ? WEXITSTATUS(status) : 1;
}
