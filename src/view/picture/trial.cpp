#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>
#include <zerobeat/base/text.hpp>

#include "time/wide_instant.hpp"
#include "view/picture/changes.hpp"
#include "view/picture/kinds.hpp"
#include "view/picture/ticks.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr std::size_t most_trial_panels = 6, most_ways = 8;
constexpr const char* hidden_ink = "#fbeee6";
constexpr std::size_t least_beside = 6;  // rows that are shown on either side of a block

/// What was hidden of one column, and what each way put there.
struct Tried {
  std::string column{};
  std::vector<std::size_t> hidden{};
  std::vector<std::vector<double>> fillings{};  ///< by way, then by hidden row; NaN: open
  std::vector<std::string> ways{};
  std::optional<std::size_t> best{};
};

std::vector<Tried> all_tried(const Material& material) {
  std::vector<Tried> all;
  const auto columns = material.names.find("columns");
  if (columns == material.names.end()) return all;
  for (std::size_t c = 0; c < columns->second.size(); ++c) {
    Tried& tried = all.emplace_back();
    tried.column = columns->second[c];
    tried.ways = material.names.at("ways");
    const auto best = std::ranges::find(tried.ways, material.names.at("best")[c]);
    if (best != tried.ways.end()) {
      tried.best = static_cast<std::size_t>(best - tried.ways.begin());
    }
    const Table& table = material.tables.at(tried.column);
    for (const std::int64_t row : table.column("row").integers()) {
      tried.hidden.push_back(static_cast<std::size_t>(row));
    }
    for (std::size_t way = 0; way < tried.ways.size(); ++way) {
      const auto put = table.column(fmt::format("put {}", way)).numbers();
      tried.fillings.emplace_back(put.begin(), put.end());
    }
  }
  return all;
}

/// Hidden readings on end: of Tried::hidden, from `from` to before `until`.
struct Block {
  std::size_t from = 0, until = 0;
};

/// How far a way is off in a block, by the root of the mean square; nothing when it stays open.
std::optional<double> off_in(const Tried& tried, const Column& truth, std::size_t way,
                             const Block& block) {
  double squares = 0;
  std::size_t filled = 0;
  for (std::size_t i = block.from; i < block.until; ++i) {
    const double off = tried.fillings[way][i] - truth.numbers()[tried.hidden[i]];
    if (std::isnan(off)) continue;
    squares += off * off;
    ++filled;
  }
  if (filled == 0) return std::nullopt;
  return std::sqrt(squares / static_cast<double>(filled));
}

/// The block in which a way is furthest off.
Block worst_block(const Tried& tried, const Column& truth, std::size_t way) {
  Block worst{0, 1};
  double most = -1;
  for (std::size_t i = 0; i < tried.hidden.size();) {
    Block block{i, i + 1};
    while (block.until < tried.hidden.size() &&
           tried.hidden[block.until] == tried.hidden[block.until - 1] + 1) {
      ++block.until;
    }
    const double off = off_in(tried, truth, way, block).value_or(0);
    if (off > most) {
      most = off;
      worst = block;
    }
    i = block.until;
  }
  return worst;
}

/// A panel: one column, from one row to another.
class TrialPanel {
 public:
  TrialPanel(const Timeline& timeline, const Figure& look, const Tried& tried)
      : timeline_(timeline),
        tried_(tried),
        truth_(timeline.values().column(tried.column).as_numbers()),
        block_(worst_block(tried, truth_, tried.best.value_or(0))) {
    const std::size_t first = tried.hidden[block_.from], last = tried.hidden[block_.until - 1];
    const auto strand = std::ranges::find_if(timeline.strands(), [&](const Strand& its_strand) {
      return its_strand.begin <= first && first < its_strand.end;
    });
    const std::size_t beside = std::max(least_beside, block_.until - block_.from);
    from_ = std::max(strand->begin + beside, first) - beside;
    until_ = std::min(strand->end, last + 1 + beside);
    title_ = (strand->key ? key_text(*strand->key) + ", " : "") + shown_name(look, tried.column);
    axis_ = axis_name(look, tried.column);
    canvas_ = {timeline.times()[from_], timeline.times()[until_ - 1], look.size.width, false,
               timeline.axis().elapsed};
    if (canvas_.first == canvas_.last) canvas_.last += Nanoseconds(1);
  }

  Panel panel() const {
    Panel panel;
    panel.title = told();
    panel.x = time_axis(canvas_, timeline_.zone(), timeline_.axis(), timeline_.time_name());
    panel.y.name = axis_;
    const std::size_t first = tried_.hidden[block_.from], last = tried_.hidden[block_.until - 1];
    const auto edge = [&](std::size_t a, std::size_t b) { return (x(a) + x(b)) / 2; };
    panel.shapes.push_back(
        {BoxShape{.boxes = {{edge(first - 1, first), edge(last, last + 1)}}, .ink = hidden_ink},
         "hidden", false, false});
    LineShape known{.ink = pale_ink, .dots = true};
    PointShape hidden{.ink = text_ink, .mark = Mark::ring, .size = 8};
    Range range;
    bool open = true;
    for (std::size_t row = from_; row < until_; ++row) {
      const bool is_hidden = std::ranges::binary_search(tried_.hidden, row);
      if (is_hidden) hidden.points.push_back({x(row), truth_.numbers()[row]});
      if (truth_.valid(row)) range.add(truth_.numbers()[row]);
      if (!truth_.valid(row) || is_hidden) {
        open = true;
        continue;
      }
      if (std::exchange(open, false)) known.stretches.emplace_back();
      known.stretches.back().push_back({x(row), truth_.numbers()[row]});
    }
    panel.shapes.push_back({std::move(known), "readings"});
    for (std::size_t way = 0; way < tried_.ways.size(); ++way) {
      LineShape line{.ink = ink(way),
                     .width = way == tried_.best ? 2.6 : 1.4,
                     .dash = dash(way),
                     .dots = true};
      line.stretches = filling(way, range);
      panel.shapes.push_back({std::move(line), title_of(way)});
    }
    panel.shapes.push_back({std::move(hidden), "hidden"});
    const double room = range.most > range.least ? 0.05 * (range.most - range.least) : 0.5;
    panel.y.low = range.least - room;
    panel.y.high = range.most + room;
    return panel;
  }

  std::string told() const {
    if (!tried_.best) return title_ + ": no way fills what was hidden";
    return fmt::format("{}: {} comes nearest; here it is furthest off", title_,
                       tried_.ways[*tried_.best]);
  }

 private:
  double x(std::size_t row) const { return canvas_.x(timeline_.times()[row]); }

  /// A way and how far it is off in this block.
  std::string title_of(std::size_t way) const {
    const auto off = off_in(tried_, truth_, way, block_);
    return off ? fmt::format("{}, {:.3g} off", tried_.ways[way], *off)
               : tried_.ways[way] + ", stays open";
  }

  /// From the reading before the block to the one after it.
  std::vector<std::vector<Point>> filling(std::size_t way, Range& range) const {
    std::vector<std::vector<Point>> stretches(1);
    bool any = false;
    const auto put = [&](std::size_t row, double value) {
      if (std::isnan(value)) {
        if (!stretches.back().empty()) stretches.emplace_back();
        return;
      }
      stretches.back().push_back({x(row), value});
      range.add(value);
    };
    const std::size_t before = tried_.hidden[block_.from] - 1;
    const std::size_t after = tried_.hidden[block_.until - 1] + 1;
    put(before, truth_.numbers()[before]);
    for (std::size_t i = block_.from; i < block_.until; ++i) {
      put(tried_.hidden[i], tried_.fillings[way][i]);
      any |= !std::isnan(tried_.fillings[way][i]);
    }
    if (!any) return {};
    put(after, truth_.numbers()[after]);
    return stretches;
  }

  const Timeline& timeline_;
  const Tried& tried_;
  Column truth_;
  Block block_;
  std::size_t from_ = 0, until_ = 0;
  std::string title_, axis_;
  Canvas canvas_{};
};

}  // namespace

DrawnPicture draw_trial(const PictureTask& task) {
  const auto all = all_tried(*task.material);
  if (all.empty()) return nothing_to_draw("too few readings to hide any");
  if (all.size() > most_trial_panels) {
    fail_usage("{} columns are more than fit, which is {}; choose some: fill ‹on› A,B", all.size(),
               most_trial_panels);
  }
  if (all[0].ways.size() > most_ways) {
    fail_usage("more than {} ways to fill can't be told apart in a picture; try fewer", most_ways);
  }
  DrawnPicture out;
  std::vector<Panel> panels;
  std::vector<std::string> said;
  for (const Tried& tried : all) {
    const TrialPanel panel(task.material->timelines[0], task.look, tried);
    panels.push_back(panel.panel());
    said.push_back(panel.told());
  }
  out.drawing.rows = rows_of(std::move(panels));
  out.drawing.name = "Ways to fill, tried on hidden readings";
  out.drawing.description = fmt::format("{}", fmt::join(said, "; "));
  return out;
}

}  // namespace zerobeat::detail
