#include <zerobeat/table/step_timer.hpp>

namespace zerobeat::inline v1 {

Timeline StepTimer::finish(Timeline::Parts parts) {
  account_.rows_out = static_cast<std::int64_t>(parts.times.size());
  account_.seconds =
      std::chrono::duration<double>(std::chrono::steady_clock::now() - start_).count();
  parts.account.steps.push_back(account_);
  return Timeline(std::move(parts));
}

StepAccount StepTimer::finish(std::int64_t rows_out) {
  account_.rows_out = rows_out;
  account_.seconds =
      std::chrono::duration<double>(std::chrono::steady_clock::now() - start_).count();
  return std::move(account_);
}

Account StepTimer::finish(const Timeline& in, std::int64_t rows_out) {
  Account account = in.account();
  account.steps.push_back(finish(rows_out));
  return account;
}

}  // namespace zerobeat
