#include "io/arrow/arrow_messages.hpp"

#include <algorithm>
#include <cstring>
#include <zerobeat/base/error.hpp>

namespace zerobeat::inline v1::detail {

namespace {

constexpr std::uint32_t continuation = 0xffffffff;

std::string_view text_of(const flatbuffers::String* text) {
  return text == nullptr ? std::string_view() : text->string_view();
}

/// Whether two fields have one name and one type. What is within them is looked at as deep as the
/// verifier lets a schema go.
bool are_alike(const arrow::Field& a, const arrow::Field& b, int depth) {
  constexpr int deepest = 64;
  if (text_of(a.name()) != text_of(b.name()) || a.type_type() != b.type_type() ||
      (a.dictionary() == nullptr) != (b.dictionary() == nullptr) || depth > deepest) {
    return false;
  }
  if (const auto* own = a.dictionary()) {
    const auto width = [](const arrow::DictionaryEncoding& dictionary) {
      return dictionary.index_type() == nullptr ? 32 : dictionary.index_type()->bit_width();
    };
    if (own->id() != b.dictionary()->id() || width(*own) != width(*b.dictionary())) return false;
  }
  switch (a.type_type()) {
    case arrow::Type_Int:
      return a.type_as_Int()->bit_width() == b.type_as_Int()->bit_width() &&
             a.type_as_Int()->is_signed() == b.type_as_Int()->is_signed();
    case arrow::Type_FloatingPoint:
      return a.type_as_FloatingPoint()->precision() == b.type_as_FloatingPoint()->precision();
    case arrow::Type_Date:
      return a.type_as_Date()->unit() == b.type_as_Date()->unit();
    case arrow::Type_Timestamp:
      return a.type_as_Timestamp()->unit() == b.type_as_Timestamp()->unit() &&
             text_of(a.type_as_Timestamp()->timezone()) ==
                 text_of(b.type_as_Timestamp()->timezone());
    default:
      break;
  }
  const auto count = [](const arrow::Field& field) {
    return field.children() == nullptr ? 0 : field.children()->size();
  };
  if (count(a) != count(b)) return false;
  for (flatbuffers::uoffset_t i = 0; i < count(a); ++i) {
    if (!are_alike(*a.children()->Get(i), *b.children()->Get(i), depth + 1)) return false;
  }
  return true;
}

}  // namespace

ArrowMessages::ArrowMessages(const SourceText& text)
    : text_(text), bytes_(text.all()), is_file_(bytes_.starts_with(arrow_file_mark)) {
  is_file_ ? open_file() : open_stream();
}

void ArrowMessages::fail(std::size_t byte, const std::string& what) const {
  fail_input("{}: byte {}: is damaged or cut short: {}; fetch it again", text_.name, byte, what);
}

std::uint32_t ArrowMessages::word_at(std::size_t byte) const {
  if (bytes_.size() < 4 || byte > bytes_.size() - 4) fail(byte, "it ends within a message");
  std::uint32_t word;
  std::memcpy(&word, bytes_.data() + byte, sizeof word);
  return word;
}

/// Metadata where its numbers lie as they have to, wherever the file has it.
const std::uint8_t* ArrowMessages::aligned(std::size_t at, std::size_t size) {
  auto& own = metadata_.emplace_back(size / 8 + 1);
  std::memcpy(own.data(), bytes_.data() + at, size);
  return reinterpret_cast<const std::uint8_t*>(own.data());
}

/// The message at a byte; without one at the end mark.
Framed ArrowMessages::message_at(std::size_t byte) {
  std::size_t at = byte;
  std::uint32_t size = word_at(at);
  at += 4;
  if (size == continuation) {
    size = word_at(at);
    at += 4;
  }
  if (size == 0) return {nullptr, {}, at};
  if (size > bytes_.size() - at) fail(byte, "it ends within a message");
  const std::uint8_t* const data = aligned(at, size);
  flatbuffers::Verifier verifier(data, size);
  if (!arrow::VerifyMessageBuffer(verifier)) fail(byte, "a message that is none");
  Framed framed;
  framed.message = arrow::GetMessage(data);
  const std::int64_t body = framed.message->body_length();
  at += size;
  if (body < 0 || static_cast<std::uint64_t>(body) > bytes_.size() - at) {
    fail(byte, "it ends within a batch of records");
  }
  framed.body = bytes_.substr(at, static_cast<std::size_t>(body));
  framed.next = at + static_cast<std::size_t>(body);
  return framed;
}

Framed ArrowMessages::message_of(const arrow::Block& block) {
  if (block.offset() < 8 || static_cast<std::uint64_t>(block.offset()) >= bytes_.size()) {
    fail(0, "a block that lies outside");
  }
  const Framed framed = message_at(static_cast<std::size_t>(block.offset()));
  if (framed.message == nullptr) {
    fail(static_cast<std::size_t>(block.offset()), "a block without a message");
  }
  return framed;
}

void ArrowMessages::open_file() {
  const std::size_t tail = 4 + arrow_file_mark.size();
  if (bytes_.size() < 8 + tail ||
      bytes_.substr(bytes_.size() - arrow_file_mark.size()) != arrow_file_mark) {
    fail(bytes_.size(), "the mark at its end is not there");
  }
  const std::size_t footer_end = bytes_.size() - tail;
  const std::uint32_t size = word_at(footer_end);
  if (size > footer_end - 8) fail(footer_end, "a footer that lies outside");
  const std::uint8_t* const data = aligned(footer_end - size, size);
  flatbuffers::Verifier verifier(data, size);
  if (!verifier.VerifyBuffer<arrow::Footer>(nullptr))
    fail(footer_end - size, "a footer that is none");
  const auto* const footer = flatbuffers::GetRoot<arrow::Footer>(data);
  take_schema(footer->schema(), footer_end - size);
  if (footer->dictionaries() != nullptr) {
    for (const arrow::Block* block : *footer->dictionaries()) {
      dictionaries_.push_back(message_of(*block));
    }
  }
  if (footer->record_batches() != nullptr) {
    for (const arrow::Block* block : *footer->record_batches()) {
      messages_.push_back(message_of(*block));
    }
  }
  check_nothing_between(message_at(arrow_file_mark.size() + 2).next, footer_end - size);
}

/// Up to the footer there is nothing but what it names, and a mark of the end: of two files one
/// after the other the last footer knows of one alone.
void ArrowMessages::check_nothing_between(std::size_t end, std::size_t footer) const {
  constexpr std::size_t mark_and_padding = 72;
  for (const auto* framed : {&dictionaries_, &messages_}) {
    for (const Framed& frame : *framed) end = std::max(end, frame.next);
  }
  if (footer > end + mark_and_padding) {
    fail_input(
        "{}: byte {}: goes on with records that its footer does not name, as two files one "
        "after the other do; read them as two files",
        text_.name, end);
  }
}

void ArrowMessages::open_stream() {
  Framed framed = message_at(0);
  if (framed.message == nullptr || framed.message->header_type() != arrow::MessageHeader_Schema) {
    fail(0, "its first message is no schema");
  }
  take_schema(framed.message->header_as_Schema(), 0);
  for (std::size_t at = framed.next;;) {
    if (at == bytes_.size()) fail(at, "the mark at its end is not there");
    framed = message_at(at);
    if (framed.message == nullptr) {
      if (framed.next == bytes_.size()) return;
      at = next_stream(framed.next);
      continue;
    }
    messages_.push_back(framed);
    at = framed.next;
  }
}

/// Streams may stand one after the other, when their columns are the same. Returns where the
/// batches of the one at a byte begin.
std::size_t ArrowMessages::next_stream(std::size_t byte) {
  const Framed framed = message_at(byte);
  const auto* const schema =
      framed.message == nullptr ? nullptr : framed.message->header_as_Schema();
  if (schema == nullptr || schema->fields() == nullptr) {
    fail(byte, "behind the mark at its end stands what is no stream");
  }
  bool same = schema->fields()->size() == schema_->fields()->size();
  for (flatbuffers::uoffset_t i = 0; same && i < schema->fields()->size(); ++i) {
    same = are_alike(*schema_->fields()->Get(i), *schema->fields()->Get(i), 0);
  }
  if (!same) {
    fail_input(
        "{}: byte {}: a second stream begins here, whose columns are not those of the first; "
        "read them as two files",
        text_.name, byte);
  }
  return framed.next;
}

void ArrowMessages::take_schema(const arrow::Schema* schema, std::size_t byte) {
  if (schema == nullptr || schema->fields() == nullptr) fail(byte, "there is no schema");
  if (schema->endianness() != arrow::Endianness_Little) {
    fail_input("{}: is big-endian, which is not read; write it anew on this kind of machine",
               text_.name);
  }
  schema_ = schema;
}

}  // namespace zerobeat::detail
