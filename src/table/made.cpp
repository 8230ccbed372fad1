#include <utility>
#include <zerobeat/table/made.hpp>

namespace zerobeat::inline v1::detail {

Made made_of(Timeline made, const Timeline& in, std::string_view step, const std::string& what) {
  if (made.account().steps.size() > in.account().steps.size()) return Made(std::move(made));
  Timeline::Parts parts = std::move(made).parts();
  StepAccount account;
  account.step = step;
  account.what = what;
  account.rows_in = static_cast<std::int64_t>(in.rows());
  account.rows_out = static_cast<std::int64_t>(parts.times.size());
  parts.account.steps.push_back(std::move(account));
  return Made(Timeline(std::move(parts)));
}

}  // namespace zerobeat::detail
