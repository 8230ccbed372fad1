#include "io/arrow/arrow_fields.hpp"

#include <fmt/format.h>

#include <optional>
#include <string>
#include <zerobeat/base/text.hpp>

#include "io/judge/asked_columns.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// How many nodes and buffers a field takes, its children's among them.
void count_buffers(const arrow::Field* field, FieldPlan& plan, const ArrowMessages& messages,
                   const std::string& source, int depth) {
  constexpr int deepest = 64;
  if (depth > deepest) messages.fail(0, "its types lie too deep within one another");
  std::size_t own = 2;
  switch (field->type_type()) {
    case arrow::Type_Null:
    case arrow::Type_RunEndEncoded:
      own = 0;
      break;
    case arrow::Type_Struct_:
    case arrow::Type_FixedSizeList:
      own = 1;
      break;
    case arrow::Type_Union:
      own = field->type_as_Union() != nullptr &&
                    field->type_as_Union()->mode() == arrow::UnionMode_Dense
                ? 2
                : 1;
      break;
    case arrow::Type_Utf8:
    case arrow::Type_Binary:
    case arrow::Type_LargeUtf8:
    case arrow::Type_LargeBinary:
    case arrow::Type_ListView:
    case arrow::Type_LargeListView:
      own = 3;
      break;
    case arrow::Type_Utf8View:
    case arrow::Type_BinaryView:
      fail_input("{}: column \"{}\" is of type {}, whose size can't be told; write it as Utf8",
                 source, shown(field->name() != nullptr ? field->name()->str() : ""),
                 arrow::EnumNameType(field->type_type()));
    default:
      break;
  }
  if (depth == 0) {
    plan.nodes = 1;
    plan.buffers = own;
  } else {
    ++plan.nodes;
    plan.buffers += own;
  }
  if (field->children() == nullptr) return;
  for (const arrow::Field* child : *field->children()) {
    count_buffers(child, plan, messages, source, depth + 1);
  }
}

std::optional<RowType> type_of(const arrow::Field* field, RowColumn& column) {
  switch (field->type_type()) {
    case arrow::Type_Null:
      return RowType::number;
    case arrow::Type_Int: {
      const int width = field->type_as_Int()->bit_width();
      if (width != 8 && width != 16 && width != 32 && width != 64) return std::nullopt;
      return RowType::integer;
    }
    case arrow::Type_FloatingPoint:
      return RowType::number;
    case arrow::Type_Bool:
      return RowType::boolean;
    case arrow::Type_Utf8:
    case arrow::Type_LargeUtf8:
      return RowType::text;
    case arrow::Type_Date:
      column.is_date = field->type_as_Date()->unit() == arrow::DateUnit_DAY;
      return RowType::local;
    case arrow::Type_Timestamp: {
      const auto* const zone = field->type_as_Timestamp()->timezone();
      return zone == nullptr || zone->size() == 0 ? RowType::local : RowType::instant;
    }
    default:
      return std::nullopt;
  }
}

FieldPlan plan_of(const arrow::Field* field, std::size_t number, const ArrowMessages& messages,
                  const std::string& source, const ReadOptions& options) {
  FieldPlan plan;
  plan.field = field;
  plan.column.name = field->name() != nullptr ? field->name()->str() : "";
  if (plan.column.name.empty()) plan.column.name = fmt::format("c{}", number);
  if (field->dictionary() == nullptr) count_buffers(field, plan, messages, source, 0);
  const auto type = field->dictionary() != nullptr && field->type_type() != arrow::Type_Utf8 &&
                            field->type_type() != arrow::Type_LargeUtf8
                        ? std::nullopt
                        : type_of(field, plan.column);
  const bool asked = is_asked_for(plan.column.name, options);
  // Nobody said which the time is: it may be any.
  plan.is_read = type && (asked || options.time.empty());
  if (!type && asked) {
    fail_input(
        "{}: column \"{}\" is of type {}, which is no reading; leave it out: ‹columns›, or write "
        "it as another type",
        source, shown(plan.column.name),
        field->dictionary() != nullptr
            ? std::string("dictionary of ") + arrow::EnumNameType(field->type_type())
            : arrow::EnumNameType(field->type_type()));
  }
  if (type) plan.column.type = *type;
  return plan;
}

}  // namespace

std::vector<FieldPlan> plans_of(const ArrowMessages& messages, const std::string& source,
                                const ReadOptions& options) {
  std::vector<FieldPlan> plans;
  for (const arrow::Field* field : *messages.schema().fields()) {
    plans.push_back(plan_of(field, plans.size() + 1, messages, source, options));
  }
  std::vector<std::string> names;
  for (const FieldPlan& plan : plans) names.push_back(plan.column.name);
  check_unique(names, source);
  return plans;
}

}  // namespace zerobeat::detail
