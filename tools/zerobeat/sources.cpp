#include "sources.hpp"

#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <chrono>
#include <condition_variable>
#include <cstdio>
#include <filesystem>
#include <mutex>
#include <thread>

namespace zerobeat::tool {

namespace {

/// Shows how much of a file is read, from the second second on, while it is alive.
class Progress {
 public:
  Progress(const std::string& name, bool quiet) : name_(name) {
    if (quiet || isatty(STDERR_FILENO) == 0) return;
    thread_ = std::thread([this] { show(); });
  }
  ~Progress() {
    if (!thread_.joinable()) return;
    {
      const std::lock_guard lock(mutex_);
      done_ = true;
    }
    wake_.notify_one();
    thread_.join();
  }
  Progress(const Progress&) = delete;
  Progress& operator=(const Progress&) = delete;

  std::atomic<std::size_t> read{0};
  std::atomic<std::size_t> total{0};

 private:
  void show() {
    std::unique_lock lock(mutex_);
    auto wait = std::chrono::milliseconds(1000);
    bool shown = false;
    while (!wake_.wait_for(lock, wait, [this] { return done_; })) {
      wait = std::chrono::milliseconds(100);
      if (total == 0) continue;
      std::fprintf(stderr, "\rreading %s: %3.0f %%", name_.c_str(),
                   100.0 * static_cast<double>(read) / static_cast<double>(total));
      shown = true;
    }
    if (shown) std::fprintf(stderr, "\r\033[K");
  }

  std::string name_;
  std::mutex mutex_;
  std::condition_variable wake_;
  bool done_ = false;
  std::thread thread_;
};

std::string stem_of(const std::string& path) {
  return path == "-" ? "stdin" : std::filesystem::path(path).stem().string();
}

}  // namespace

std::optional<std::string> value_for(const std::string& option, const std::string& name,
                                     const std::vector<std::string>& names,
                                     const std::vector<std::string>& values) {
  std::vector<std::string> common, own;
  for (const auto& value : values) {
    const std::string owner = value.substr(0, value.find(':'));
    if (owner.size() == value.size() || std::ranges::find(names, owner) == names.end()) {
      common.push_back(value);
    } else if (owner == name) {
      own.push_back(value.substr(name.size() + 1));
    }
  }
  const auto& chosen = own.empty() ? common : own;
  if (chosen.size() > 1) {
    fail_usage("--{} is given twice for {}: {} and {}", option, name, chosen[0], chosen[1]);
  }
  return chosen.empty() ? std::nullopt : std::optional(chosen[0]);
}

std::vector<SourceFile> sources_of(const std::vector<std::string>& files,
                                   const GivenReading& given) {
  std::vector<SourceFile> sources;
  std::map<std::string, int> uses;
  for (const auto& file : files) {
    SourceFile source;
    source.path = file;
    source.name = stem_of(file);
    // Two files of one stem are told apart by number.
    if (const int use = ++uses[source.name]; use > 1) source.name += fmt::format("_{}", use);
    sources.push_back(std::move(source));
  }
  std::vector<std::string> names;
  for (const auto& source : sources) names.push_back(source.name);
  for (auto& source : sources) {
    auto options = bind_options(source.read);
    for (auto& option : bind_options(source.limits)) options.push_back(std::move(option));
    for (auto& option : options) {
      const auto values = given.find(option.name);
      if (values == given.end()) continue;
      if (option.value_name.empty()) {
        option.set(values->second[0]);
        continue;
      }
      const auto chosen = value_for(option.name, source.name, names, values->second);
      if (!chosen) continue;
      try {
        option.set(*chosen);
      } catch (const Error& error) {
        throw Error(error.kind(), fmt::format("--{} {}: {}", option.name, *chosen, error.what()));
      }
    }
  }
  return sources;
}

std::vector<Records> read_all(std::vector<SourceFile>& sources, bool quiet) {
  std::vector<Records> all;
  for (auto& source : sources) {
    Progress progress(source.path, quiet);
    source.read.bytes_read = &progress.read;
    source.read.bytes_total = &progress.total;
    all.push_back(read_records(source.path, source.read));
    all.back().name = source.name;
    source.read.bytes_read = source.read.bytes_total = nullptr;
  }
  return all;
}

void set_aside(const std::vector<SourceFile>& sources,
               const std::vector<std::shared_ptr<const SourceAccount>>& accounts) {
  std::vector<std::pair<std::string, Output>> outputs;
  for (std::size_t i = 0; i < sources.size(); ++i) {
    const std::string& path = sources[i].limits.rejects;
    if (path.empty()) continue;
    auto at = std::ranges::find(outputs, path, &std::pair<std::string, Output>::first);
    if (at == outputs.end()) {
      outputs.emplace_back(path, Output(path));
      at = std::prev(outputs.end());
      write_rejects_header(at->second);
    }
    write_rejects(*accounts[i], at->second);
  }
  for (auto& [path, output] : outputs) output.commit();
}

void write_account(const std::string& path, const Account& account) {
  if (path.empty()) return;
  Output output(path);
  output.write(account_json(account));
  output.commit();
}

std::vector<Timeline> timelines_of(std::vector<SourceFile>& sources, const Settle& settling,
                                   bool quiet, const std::string& account_path) {
  const auto records = read_all(sources, quiet);
  std::vector<Timeline> timelines;
  std::vector<std::shared_ptr<const SourceAccount>> accounts;
  for (const auto& own : records) {
    timelines.push_back(settle(own, settling));
    accounts.push_back(timelines.back().account().sources.front());
  }
  set_aside(sources, accounts);
  write_account(account_path, {accounts, {}});
  for (std::size_t i = 0; i < sources.size(); ++i) check_limits(*accounts[i], sources[i].limits);
  return timelines;
}

}  // namespace zerobeat::tool
