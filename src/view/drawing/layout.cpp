#include "view/drawing/layout.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

namespace zerobeat::inline v1::detail {

namespace {

using Anchor = PlacedText::Anchor;

constexpr double title_size = 1.3, subtitle_size = 1.0;
constexpr std::size_t most_key_rows = 6;
constexpr double least_side = 20;  // pixels that a panel has left, however small the picture

struct KeyEntry {
  const DrawnShape* shape = nullptr;
  std::string text{}, whole{};
  double width = 0;
};

/// The named shapes of a panel, each name once, in rows no wider than the panel.
struct Key {
  std::vector<std::vector<KeyEntry>> rows{};
  std::size_t left_out = 0;
};

Key key_of(const Panel& panel, double width, const Metrics& metrics) {
  Key key;
  std::vector<std::string> seen;
  double used = 0;
  const double most_text = std::max(0.4 * width, 12 * metrics.gap);
  for (const DrawnShape& shape : panel.shapes) {
    if (!shape.in_key || shape.name.empty()) continue;
    if (std::ranges::find(seen, shape.name) != seen.end()) continue;
    seen.push_back(shape.name);
    KeyEntry entry{&shape, cut_to(drawn_text(shape.name), most_text, metrics),
                   drawn_text(shape.name)};
    entry.width = metrics.sample + metrics.gap + metrics.width(entry.text);
    const double needed = entry.width + (used > 0 ? 3 * metrics.gap : 0);
    if (key.rows.empty() || (used > 0 && used + needed > width)) {
      if (key.rows.size() == most_key_rows) {
        ++key.left_out;
        continue;
      }
      key.rows.emplace_back();
      used = 0;
    }
    used += entry.width + (used > 0 ? 3 * metrics.gap : 0);
    key.rows.back().push_back(std::move(entry));
  }
  return key;
}

double widest(const std::vector<AxisTick>& ticks, const Metrics& metrics) {
  double most = 0;
  for (const AxisTick& tick : ticks) {
    for (const auto* text : {&tick.text, &tick.below, &tick.below_that}) {
      most = std::max(most, metrics.width(*text));
    }
  }
  return most;
}

int lines_of(const std::vector<AxisTick>& ticks) {
  int lines = 0;
  for (const AxisTick& tick : ticks) {
    const int needed = !tick.below_that.empty() ? 3 : !tick.below.empty() ? 2 : 1;
    lines = std::max(lines, tick.text.empty() && needed == 1 ? 0 : needed);
  }
  return lines;
}

int most_ticks(double pixels, double room) { return std::max(1, static_cast<int>(pixels / room)); }

/// Labels over a panel, in as many rows as they need to stand apart.
std::vector<PlacedText> labels_above(const PlacedPanel& placed, const Metrics& metrics, int& rows) {
  std::vector<PlacedText> texts;
  std::vector<double> taken;  // until where each row is
  std::vector<const Label*> labels;
  for (const Label& label : placed.panel->labels) {
    if (label.where == Label::Where::above) labels.push_back(&label);
  }
  std::ranges::stable_sort(labels, {}, [](const Label* label) { return label->x; });
  for (const Label* label : labels) {
    const std::string text = cut_to(drawn_text(label->text), placed.right - placed.left, metrics);
    const double width = metrics.width(text);
    const double x = std::clamp(placed.x(label->x) - width / 2, placed.left,
                                std::max(placed.left, placed.right - width));
    std::size_t row = 0;
    while (row < taken.size() && taken[row] > x) ++row;
    if (row == taken.size()) taken.push_back(0);
    taken[row] = x + width + metrics.gap;
    texts.push_back({text, x, static_cast<double>(row), Anchor::left, label->ink});
  }
  rows = static_cast<int>(taken.size());
  return texts;
}

/// What surrounds a panel.
struct Margins {
  double left = 0, right = 0, top = 0, bottom = 0;
};

class PanelLayout {
 public:
  PanelLayout(const Panel& panel, const Metrics& metrics) : metrics_(metrics) {
    placed_.panel = &panel;
  }

  /// What it needs around it in an area of that size, given what it has.
  Margins margins(double width, double height, const Margins& now) {
    const Panel& panel = *placed_.panel;
    const double inner_width = std::max(least_side, width - now.left - now.right);
    const double inner_height = std::max(least_side, height - now.top - now.bottom);
    placed_.left = now.left;
    placed_.right = now.left + inner_width;
    placed_.x_ticks = ticks_of(panel.x, most_ticks(inner_width, metrics_.tick_room_x));
    placed_.y_ticks = ticks_of(panel.y, most_ticks(inner_height, metrics_.tick_room_y));
    const double gap = metrics_.gap, line = metrics_.line;
    Margins needed;
    most_tick_ = 0.3 * width;
    needed.left = gap + std::min(most_tick_, widest(placed_.y_ticks, metrics_)) + 0.75 * gap;
    if (!panel.y.name.empty() && metrics_.turns) needed.left += line;
    needed.right = gap;
    if (panel.right) {
      placed_.right_ticks = ticks_of(*panel.right, most_ticks(inner_height, metrics_.tick_room_y));
      needed.right += widest(placed_.right_ticks, metrics_) + 0.75 * gap;
      if (!panel.right->name.empty() && metrics_.turns) needed.right += line;
    }
    double label = 0;
    for (const Label& each : panel.labels) {
      if (each.where != Label::Where::right) continue;
      label = std::max(label, metrics_.width(drawn_text(each.text)) + gap);
    }
    needed.right += std::min(label, 0.35 * width);
    if (panel.scale) {
      scale_ticks_ = round_ticks(panel.scale->low, panel.scale->high,
                                 most_ticks(inner_height, metrics_.tick_room_y));
      needed.right += 2 * gap + metrics_.scale_bar + widest(scale_ticks_, metrics_) +
                      (metrics_.turns && !panel.scale->name.empty() ? line + gap : 0);
    }
    key_ = key_of(panel, width - needed.left - gap, metrics_);
    int rows = 0;
    static_cast<void>(labels_above(placed_, metrics_, rows));
    const bool names_above =
        !metrics_.turns && (!panel.y.name.empty() || (panel.right && !panel.right->name.empty()));
    const double key_rows = static_cast<double>(key_.rows.size()) + (key_.left_out > 0 ? 1 : 0);
    needed.top = line * (key_rows + rows + (panel.title.empty() ? 0 : 1) + (names_above ? 1 : 0)) +
                 (metrics_.turns ? gap : 0);
    // In a terminal the axis itself is a row of letters.
    needed.bottom = line * lines_of(placed_.x_ticks) + (metrics_.turns ? gap : line);
    if (!panel.x.name.empty()) needed.bottom += line;
    return needed;
  }

  PlacedPanel place(double left, double top, double width, double height, const Margins& margins,
                    PlacedDrawing& out) {
    const Panel& panel = *placed_.panel;
    placed_.left = left + margins.left;
    placed_.right = std::max(placed_.left + least_side / 2, left + width - margins.right);
    placed_.top = top + margins.top;
    placed_.bottom = std::max(placed_.top + least_side / 2, top + height - margins.bottom);
    out_ = &out;
    area_left_ = left;
    area_right_ = left + width;
    first_text_ = out.texts.size();
    put_head(top);
    put_y_axis(left);
    put_x_axis(top + height);
    double right = placed_.right;
    if (panel.right) right = put_right_axis();
    put_labels_right(right + metrics_.gap, left + width);
    if (panel.scale) put_scale();
    put_labels_inside();
    if (!panel.empty.empty()) {
      put({cut_to(drawn_text(panel.empty), placed_.right - placed_.left, metrics_),
           (placed_.left + placed_.right) / 2, (placed_.top + placed_.bottom) / 2, Anchor::center,
           text_ink});
    }
    return placed_;
  }

 private:
  void put(PlacedText text) {
    if (text.whole == text.text) text.whole.clear();
    if (!text.text.empty()) out_->texts.push_back(std::move(text));
  }

  /// A text that is no wider than that.
  PlacedText cut(const std::string& text, double width, double x, double y, Anchor anchor,
                 bool turned = false) const {
    std::string whole = drawn_text(text);
    std::string fit = cut_to(whole, width, metrics_);
    return {std::move(fit), x, y, anchor, text_ink, 1, turned, false, std::move(whole)};
  }

  /// Title, key and labels, from above down to the panel.
  void put_head(double top) {
    const Panel& panel = *placed_.panel;
    const double line = metrics_.line;
    double y = top + line / 2;
    const double room = std::max(1.0, placed_.right - placed_.left + 4 * metrics_.gap);
    if (!panel.title.empty()) {
      put(cut(panel.title, room, placed_.left, y, Anchor::left));
      y += line;
    }
    for (const auto& row : key_.rows) {
      double x = placed_.left;
      for (const KeyEntry& entry : row) {
        out_->samples.push_back({x, y, entry.shape});
        put({entry.text, x + metrics_.sample + metrics_.gap, y, Anchor::left, text_ink, 1, false,
             false, entry.whole});
        x += entry.width + 3 * metrics_.gap;
      }
      y += line;
    }
    if (key_.left_out > 0) {
      put({fmt::format("and {} more", key_.left_out), placed_.left, y, Anchor::left, soft_ink});
      y += line;
    }
    if (!metrics_.turns) {
      put({cut_to(drawn_text(panel.y.name), room / 2, metrics_), placed_.left, y, Anchor::left,
           text_ink});
      if (panel.right) {
        put({cut_to(drawn_text(panel.right->name), room / 2, metrics_), placed_.right, y,
             Anchor::right, text_ink});
      }
    }
    int rows = 0;
    for (PlacedText text : labels_above(placed_, metrics_, rows)) {
      text.y = placed_.top - line * (text.y + 0.5) - (metrics_.turns ? metrics_.gap / 4 : 0);
      put(std::move(text));
    }
  }

  void put_y_axis(double left) {
    const Panel& panel = *placed_.panel;
    for (const AxisTick& tick : placed_.y_ticks) {
      const double y = placed_.y(tick.at);
      if (!is_within(y, placed_.top, placed_.bottom)) continue;
      put(cut(tick.text, most_tick_, placed_.left - 0.75 * metrics_.gap, y, Anchor::right));
    }
    if (metrics_.turns) put_turned(panel.y.name, left + metrics_.line / 2 + 2);
  }

  double put_right_axis() {
    for (const AxisTick& tick : placed_.right_ticks) {
      const double y = placed_.y(tick.at, true);
      if (!is_within(y, placed_.top, placed_.bottom)) continue;
      put({tick.text, placed_.right + 0.75 * metrics_.gap, y, Anchor::left, text_ink});
    }
    double right = placed_.right + 0.75 * metrics_.gap + widest(placed_.right_ticks, metrics_);
    if (metrics_.turns && !placed_.panel->right->name.empty()) {
      put_turned(placed_.panel->right->name, right + metrics_.line / 2 + 3);
      right += metrics_.line;
    }
    return right;
  }

  void put_turned(const std::string& name, double x) {
    put(cut(name, placed_.bottom - placed_.top, x, (placed_.top + placed_.bottom) / 2,
            Anchor::center, true));
  }

  /// Texts of ticks, as many as stand apart: every one, or every second, and so on.
  void put_x_axis(double bottom) {
    const Panel& panel = *placed_.panel;
    const double line = metrics_.line;
    const double first = placed_.bottom + (metrics_.turns ? metrics_.gap / 2 : line) + line / 2;
    int row = 0;
    for (auto member : {&AxisTick::text, &AxisTick::below, &AxisTick::below_that}) {
      put_tick_row(member, first + line * row++);
    }
    put({cut_to(drawn_text(panel.x.name), placed_.right - placed_.left, metrics_),
         (placed_.left + placed_.right) / 2,
         std::min(bottom - line / 2, first + line * lines_of(placed_.x_ticks)), Anchor::center,
         text_ink});
  }

  void put_tick_row(std::string AxisTick::*member, double y) {
    std::vector<PlacedText> texts;
    for (const AxisTick& tick : placed_.x_ticks) {
      const std::string& text = tick.*member;
      const double x = placed_.x(tick.at);
      if (text.empty() || !is_within(x, placed_.left, placed_.right)) continue;
      const double half = metrics_.width(text) / 2;
      const double least = area_left_ + half, most = std::max(least, area_right_ - half);
      texts.push_back({text, std::clamp(x, least, most), y, Anchor::center, text_ink});
    }
    for (std::size_t step = 1; step <= texts.size(); ++step) {
      bool apart = true;
      for (std::size_t i = step; i < texts.size() && apart; i += step) {
        apart = box_of(texts[i - step], metrics_).right + metrics_.gap * 0.75 <=
                box_of(texts[i], metrics_).left;
      }
      if (!apart) continue;
      for (std::size_t i = 0; i < texts.size(); i += step) put(texts[i]);
      return;
    }
  }

  /// Texts in the margin, each at its height, those that would meet moved apart.
  void put_labels_right(double x, double until) {
    std::vector<PlacedText> texts;
    for (const Label& label : placed_.panel->labels) {
      if (label.where != Label::Where::right) continue;
      const double y =
          std::clamp(placed_.y(label.y, label.right_axis), placed_.top, placed_.bottom);
      texts.push_back({cut_to(drawn_text(label.text), std::max(1.0, until - x), metrics_), x, y,
                       Anchor::left, label.ink});
    }
    std::ranges::stable_sort(texts, {}, &PlacedText::y);
    const double line = metrics_.line;
    const auto fit =
        static_cast<std::size_t>(std::max(1.0, std::floor((placed_.bottom - placed_.top) / line)));
    if (texts.size() > fit) {
      const std::size_t more = texts.size() - fit + 1;
      texts.resize(fit - 1);
      texts.push_back({cut_to(fmt::format("+ {}", more), std::max(1.0, until - x), metrics_), x,
                       placed_.bottom, Anchor::left, soft_ink});
    }
    // Groups of texts that touch are spread about their middle, as often as groups meet.
    struct Group {
      std::size_t first, count;
      double middle;
    };
    std::vector<Group> groups;
    for (std::size_t i = 0; i < texts.size(); ++i) {
      groups.push_back({i, 1, texts[i].y});
      const auto half = [&](const Group& group) {
        return line * static_cast<double>(group.count) / 2;
      };
      while (true) {
        Group& last = groups.back();
        const double least = placed_.top + half(last);
        last.middle = std::clamp(last.middle, least, std::max(least, placed_.bottom - half(last)));
        if (groups.size() == 1) break;
        Group& before = groups[groups.size() - 2];
        if (before.middle + half(before) <= last.middle - half(last) + 1e-9) break;
        const auto n = static_cast<double>(before.count), m = static_cast<double>(last.count);
        before.middle = (before.middle * n + last.middle * m) / (n + m);
        before.count += last.count;
        groups.pop_back();
      }
    }
    for (const Group& group : groups) {
      for (std::size_t i = 0; i < group.count; ++i) {
        texts[group.first + i].y =
            group.middle +
            line * (static_cast<double>(i) - (static_cast<double>(group.count) - 1) / 2);
      }
    }
    for (PlacedText& text : texts) put(std::move(text));
  }

  void put_scale() {
    const ColorScale& scale = *placed_.panel->scale;
    placed_.scale_left = placed_.right + 2 * metrics_.gap;
    const double right = placed_.scale_left + metrics_.scale_bar;
    for (const AxisTick& tick : scale_ticks_) {
      const double share = (tick.at - scale.low) / (scale.high - scale.low);
      put({tick.text, right + 0.5 * metrics_.gap,
           placed_.bottom - share * (placed_.bottom - placed_.top), Anchor::left, text_ink});
    }
    if (metrics_.turns) {
      put_turned(scale.name,
                 right + widest(scale_ticks_, metrics_) + metrics_.gap + metrics_.line / 2);
    }
  }

  /// Beside its point, to the right or the left, a line higher or lower, where it is free.
  void put_labels_inside() {
    const double line = metrics_.line, gap = metrics_.gap;
    std::vector<TextBox> taken;
    for (std::size_t i = first_text_; i < out_->texts.size(); ++i) {
      taken.push_back(box_of(out_->texts[i], metrics_));
    }
    for (const Label& label : placed_.panel->labels) {
      if (label.where != Label::Where::inside) continue;
      const std::string text = drawn_text(label.text);
      const double x = placed_.x(label.x), y = placed_.y(label.y, label.right_axis);
      const double into = y < (placed_.top + placed_.bottom) / 2 ? 1 : -1;  // towards the middle
      bool done = false;
      constexpr int most_levels = 12;
      for (int level = 0; level < most_levels && !done; ++level) {
        for (const Anchor anchor : {Anchor::left, Anchor::right}) {
          const PlacedText text_there{text,
                                      x + (anchor == Anchor::left ? gap : -gap),
                                      y + into * line * (0.6 + level),
                                      anchor,
                                      label.ink,
                                      1,
                                      false,
                                      true};
          const TextBox box = box_of(text_there, metrics_);
          const bool fits = box.left >= placed_.left && box.right <= placed_.right &&
                            box.top >= placed_.top && box.bottom <= placed_.bottom;
          const bool free = std::ranges::none_of(
              taken, [&](const TextBox& other) { return overlap(box, other); });
          if (!fits || !free) continue;
          taken.push_back(box);
          put(text_there);
          done = true;
          break;
        }
      }
    }
  }

  static bool is_within(double value, double low, double high) {
    return value >= low - 0.5 && value <= high + 0.5;
  }

  const Metrics& metrics_;
  PlacedPanel placed_{};
  Key key_{};
  std::vector<AxisTick> scale_ticks_;
  PlacedDrawing* out_ = nullptr;
  std::size_t first_text_ = 0;
  double area_left_ = 0, area_right_ = 0;
  double most_tick_ = 0;  // how wide a tick's text may be
};

double place_on(const DrawnAxis& axis, double value, double from, double to) {
  double low = axis.low, high = axis.high;
  if (axis.log) {
    low = std::log(low);
    high = std::log(high);
    value = std::log(std::max(value, std::numeric_limits<double>::min()));
  }
  double share = high > low ? (value - low) / (high - low) : 0.5;
  if (axis.reversed) share = 1 - share;
  return from + share * (to - from);
}

}  // namespace

double PlacedPanel::x(double value) const { return place_on(panel->x, value, left, right); }

double PlacedPanel::y(double value, bool right_axis) const {
  return place_on(right_axis && panel->right ? *panel->right : panel->y, value, bottom, top);
}

TextBox box_of(const PlacedText& text, const Metrics& metrics) {
  double width = metrics.width(text.text) * text.size, height = metrics.line * text.size;
  double left = text.x, top = text.y - height / 2;
  if (text.turned) {
    // Turned texts are placed by their middle.
    return {text.x - height / 2, text.x + height / 2, text.y - width / 2, text.y + width / 2};
  }
  if (text.anchor == Anchor::center) left -= width / 2;
  if (text.anchor == Anchor::right) left -= width;
  return {left, left + width, top, top + height};
}

bool overlap(const TextBox& a, const TextBox& b) {
  return a.left < b.right && b.left < a.right && a.top < b.bottom && b.top < a.bottom;
}

PlacedDrawing lay_out(const Drawing& drawing, double width, double height, const Metrics& metrics) {
  PlacedDrawing out;
  out.width = width;
  out.height = height;
  double top = metrics.turns ? metrics.gap : 0;
  const auto heading = [&](const std::string& text, double size, const char* color) {
    if (text.empty()) return;
    const double line = metrics.line * size;
    out.texts.push_back(
        {cut_to(drawn_text(text), (width - 4 * metrics.gap) / (size * 1.12), metrics),
         2 * metrics.gap, top + line / 2, Anchor::left, color, size});
    top += line + (metrics.turns ? metrics.gap / 4 : 0);
  };
  heading(drawing.title, metrics.turns ? title_size : 1, text_ink);
  heading(drawing.subtitle, subtitle_size, soft_ink);

  double weights = 0;
  std::size_t panels = 0;
  for (const PanelRow& row : drawing.rows) {
    weights += row.height;
    panels += row.panels.size();
  }
  const double room = height - top - (metrics.turns ? metrics.gap / 2 : 0);
  const bool several = panels > 1;
  const double apart = several && metrics.turns ? metrics.gap : 0;
  // Margins depend on ticks and key, and those on what margins leave: twice is enough.
  struct Placing {
    PanelLayout layout;
    Margins margins{};
    double width = 0, height = 0;
  };
  std::vector<std::vector<Placing>> rows;
  for (const PanelRow& row : drawing.rows) {
    auto& placings = rows.emplace_back();
    for (const Panel& panel : row.panels) {
      Placing placing{PanelLayout(panel, metrics)};
      placing.width = width / static_cast<double>(row.panels.size()) - apart;
      placing.height = room * row.height / weights - apart;
      for (int again = 0; again < 3; ++again) {
        placing.margins = placing.layout.margins(placing.width, placing.height, placing.margins);
      }
      placings.push_back(std::move(placing));
    }
  }
  // Panels one above another begin and end at one place; those side by side, too.
  for (auto& row : rows) {
    Margins most;
    for (const Placing& placing : row) {
      most.top = std::max(most.top, placing.margins.top);
      most.bottom = std::max(most.bottom, placing.margins.bottom);
    }
    for (Placing& placing : row) {
      placing.margins.top = most.top;
      placing.margins.bottom = most.bottom;
    }
  }
  for (auto& row : rows) {
    for (std::size_t i = 0; i < row.size(); ++i) {
      for (const auto& other : rows) {
        if (other.size() != row.size()) continue;
        row[i].margins.left = std::max(row[i].margins.left, other[i].margins.left);
        row[i].margins.right = std::max(row[i].margins.right, other[i].margins.right);
      }
    }
  }
  for (auto& row : rows) {
    double left = 0;
    for (Placing& placing : row) {
      static_cast<void>(placing.layout.margins(placing.width, placing.height, placing.margins));
      out.panels.push_back(
          placing.layout.place(left, top, placing.width, placing.height, placing.margins, out));
      left += placing.width + apart;
    }
    if (!row.empty()) top += row[0].height + apart;
  }
  return out;
}

}  // namespace zerobeat::detail
