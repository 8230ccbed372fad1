/// Splitting one record into cells, with quotes as RFC 4180 has them: the plain
/// way, which every record with a quote goes.

#pragma once

#include <deque>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// A cell: what it says, and where it stands.
struct Cell {
  std::string_view text;
  std::size_t byte = 0;  ///< of its raw text, quotes and all
  std::size_t length = 0;
};

/// Nothing but spaces, and tabs where they are not what stands between cells.
inline bool is_blank(std::string_view line, char delimiter) {
  for (const char c : line) {
    if (c != ' ' && !(c == '\t' && delimiter != '\t')) return false;
  }
  return true;
}

inline std::string_view without_return(std::string_view line) {
  if (!line.empty() && line.back() == '\r') line.remove_suffix(1);
  return line;
}

/// Splits one record that may have quotes. Returns false when a quoted field does not close.
struct Splitter {
  std::string_view text;
  char delimiter;
  char quote;
  std::deque<std::string>* unquoted;
  /// One past the last byte that decided about the last record.
  mutable std::size_t looked_at = 0;

  /// `end` becomes the byte after the record, its line's end included; `raw_end` without it.
  template <typename Put>
  bool split(std::size_t begin, std::size_t& end, std::size_t& raw_end, Put&& put) const {
    std::size_t at = begin;
    for (;;) {
      if (at < text.size() && quote != '\0' && text[at] == quote) {
        const std::size_t open = at;
        bool doubled = false;
        std::size_t close = open + 1;
        for (;;) {
          close = text.find(quote, close);
          if (close == std::string_view::npos) {
            return broken(begin, end, raw_end, text.size());
          }
          if (close + 1 < text.size() && text[close + 1] == quote) {
            doubled = true;
            close += 2;
            continue;
          }
          break;
        }
        at = close + 1;
        const std::string_view rest = text.substr(at, 2);
        const bool ends_line = rest.empty() || rest[0] == '\n' || rest == "\r\n" || rest == "\r";
        if (!ends_line && rest[0] != delimiter) return broken(begin, end, raw_end, at + 2);
        std::string_view inside = text.substr(open + 1, close - open - 1);
        if (doubled) inside = undouble(inside);
        put(Cell{inside, open, at - open});
        if (ends_line) {
          raw_end = at;
          while (at < text.size() && text[at] == '\r') ++at;
          end = at < text.size() ? at + 1 : at;
          looked_at = end;
          return true;
        }
        ++at;
        continue;
      }
      const std::size_t from = at;
      while (at < text.size() && text[at] != delimiter && text[at] != '\n') ++at;
      const bool ends_line = at == text.size() || text[at] == '\n';
      std::string_view inside = text.substr(from, at - from);
      if (ends_line) inside = without_return(inside);
      put(Cell{inside, from, inside.size()});
      if (ends_line) {
        raw_end = from + inside.size();
        end = at < text.size() ? at + 1 : at;
        looked_at = end;
        return true;
      }
      ++at;
    }
  }

  bool broken(std::size_t begin, std::size_t& end, std::size_t& raw_end, std::size_t looked) const {
    looked_at = looked;
    const std::size_t newline = text.find('\n', begin);
    raw_end = newline == std::string_view::npos ? text.size() : newline;
    end = newline == std::string_view::npos ? text.size() : newline + 1;
    if (raw_end > begin && text[raw_end - 1] == '\r') --raw_end;
    return false;
  }

  std::string_view undouble(std::string_view inside) const {
    // Eight bytes before it, for whoever looks at eight at once.
    std::string out(8, ' ');
    for (std::size_t i = 0; i < inside.size(); ++i) {
      out += inside[i];
      if (inside[i] == quote) ++i;
    }
    return std::string_view(unquoted->emplace_back(std::move(out))).substr(8);
  }
};

/// The cells of one record that starts at `begin`, for headers and samples.
struct LooseRecord {
  std::vector<std::string> cells;
  std::size_t end = 0;  ///< byte after its line's end
  bool broken = false;
  bool blank = false;
};
LooseRecord read_loose_record(std::string_view text, std::size_t begin, char delimiter, char quote,
                              bool runs = false);

/// Splits one record whose cells have runs of spaces and tabs between them. The same calls and
/// results as Splitter::split().
template <typename Put>
bool split_runs(const Splitter& splitter, std::size_t begin, std::size_t& end, std::size_t& raw_end,
                Put&& put) {
  const std::string_view text = splitter.text;
  const auto is_space = [](char c) { return c == ' ' || c == '\t'; };
  std::size_t at = begin;
  for (;;) {
    while (at < text.size() && is_space(text[at])) ++at;
    const bool ends = at == text.size() || text[at] == '\n' ||
                      (text[at] == '\r' && (at + 1 == text.size() || text[at + 1] == '\n'));
    if (ends) {
      raw_end = at;
      const std::size_t newline = text.find('\n', at);
      end = newline == std::string_view::npos ? text.size() : newline + 1;
      splitter.looked_at = end;
      return true;
    }
    std::size_t stop = at;
    if (text[at] == splitter.quote) {
      std::size_t close = text.find(splitter.quote, at + 1);
      bool doubled = false;
      while (close != std::string_view::npos && close + 1 < text.size() &&
             text[close + 1] == splitter.quote) {
        doubled = true;
        close = text.find(splitter.quote, close + 2);
      }
      if (close == std::string_view::npos) return splitter.broken(begin, end, raw_end, text.size());
      stop = close + 1;
      const bool closes =
          stop == text.size() || is_space(text[stop]) || text[stop] == '\n' || text[stop] == '\r';
      if (!closes) return splitter.broken(begin, end, raw_end, stop + 1);
      std::string_view inside = text.substr(at + 1, close - at - 1);
      if (doubled) inside = splitter.undouble(inside);
      put(Cell{inside, at, stop - at});
    } else {
      while (stop < text.size() && !is_space(text[stop]) && text[stop] != '\n') ++stop;
      std::string_view inside = text.substr(at, stop - at);
      if (stop == text.size() || text[stop] == '\n') inside = without_return(inside);
      put(Cell{inside, at, inside.size()});
    }
    at = stop;
  }
}

/// The length of the raw record that starts at `begin`, its line's end left out.
std::size_t raw_record_length(std::string_view text, std::size_t begin, char delimiter, char quote,
                              bool runs = false);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
