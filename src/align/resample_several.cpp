#include <algorithm>
#include <zerobeat/align/align.hpp>
#include <zerobeat/align/resample_several.hpp>
#include <zerobeat/regular/profile.hpp>

namespace zerobeat::inline v1 {

namespace {

void check(std::span<const Timeline> timelines, const Resample& options) {
  const auto* every = std::get_if<Every>(&options.every);
  if (every != nullptr && every->levels.size() > 1) {
    fail_usage("several sources go with one level of ‹every›, not with {}", to_text(*every));
  }
  if (makes_table(options)) fail_usage("‹by_value› goes with one source");
  std::vector<std::string> names;
  for (const Timeline& timeline : timelines) names.push_back(timeline.name());
  for (const Take& take : options.take) {
    if (take.source.empty() || std::ranges::find(names, take.source) != names.end()) continue;
    fail_usage("‹take› {}:{}: {} is not a source here{}", take.source, to_text(take), take.source,
               did_you_mean(take.source, names));
  }
}

Made by_value(const Timeline& timeline, const Resample& options) {
  const Resample plain{.every = options.every, .take = options.take, .empty = options.empty};
  if (options != plain) {
    fail_usage("‹by_value› goes with ‹take› and ‹empty›, and no other way of resampling");
  }
  ProfileTable made =
      profile(timeline, {.by = {{Part::Kind::value, std::get<ByValue>(options.every).amount}},
                         .take = options.take,
                         .empty = options.empty});
  StepAccount did = made.account.last();
  did.step = Resample::name;
  did.what = describe_options(options);
  return Made(std::move(made.table), std::move(did));
}

}  // namespace

Timeline resample(std::span<const Timeline> timelines, const Resample& options) {
  if (timelines.size() == 1) return resample(timelines[0], options);
  check(timelines, options);
  const auto start = std::chrono::steady_clock::now();
  std::vector<Timeline> resampled;
  StepAccount did{.step = std::string(Resample::name), .what = describe_options(options)};
  for (const Timeline& timeline : timelines) {
    Resample resampling = options;
    resampling.take = takes_of(options.take, timeline.name());
    resampled.push_back(resample(timeline, resampling));
    const StepAccount& part = resampled.back().account().last();
    did.rows_in += part.rows_in;
    for (const auto& note : part.notes) did.notes.push_back(timeline.name() + ": " + note);
  }
  Align together{.onto = AllInstants{}};
  for (const Timeline& timeline : resampled) {
    for (const auto& column : timeline.values().names()) {
      together.how.push_back({timeline.name(), column, Method::How::exact});
    }
  }
  Timeline::Parts parts = align(resampled, together).parts();
  parts.account = {};
  for (const Timeline& timeline : timelines) add_to(parts.account, timeline.account());
  did.rows_out = static_cast<std::int64_t>(parts.times.size());
  did.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
  parts.account.steps.push_back(std::move(did));
  return Timeline(std::move(parts));
}

Made apply(std::span<const Timeline> in, const Resample& options) {
  if (makes_table(options) && in.size() == 1) return by_value(in[0], options);
  return Made(resample(in, options));
}

}  // namespace zerobeat
