// A plan that tells how far it is, and one that is stopped from another thread after a while.
// usage: progress_and_stop PLAN.toml MILLISECONDS

#include <condition_variable>
#include <mutex>
#include <thread>
#include <zerobeat/zerobeat.hpp>

using namespace zerobeat;

int main(int argc, char** argv) {
  if (argc != 3) return 2;
  const Plan plan = load_plan(argv[1]);
  std::string last;
  const auto tell = [&](const Progress& progress) {
    const std::string now = progress.series + " " + progress.step;
    if (now != last) fmt::print("{:3.0f} % {}\n", 100 * progress.share, now);
    last = now;
  };
  std::stop_source stop;
  const std::chrono::milliseconds patience(std::stoi(argv[2]));
  const std::jthread other([&](const std::stop_token& finished) {
    std::mutex mutex;
    std::unique_lock lock(mutex);
    std::condition_variable_any never;
    never.wait_for(lock, finished, patience, [] { return false; });
    if (!finished.stop_requested()) stop.request_stop();
  });
  try {
    const RunResult result = run_plan(plan, {.progress = tell, .stop = stop.get_token()});
    fmt::print("wrote {} files\n", result.written.size());
  } catch (const Stopped& stopped) {
    fmt::print("{}\n", stopped.what());
  }
}
