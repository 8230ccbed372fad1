/// Everything: one include for programs that read, step and write.

#pragma once

#include <zerobeat/align/align.hpp>
#include <zerobeat/align/clock/findings.hpp>
#include <zerobeat/align/clock/tune.hpp>
#include <zerobeat/align/join.hpp>
#include <zerobeat/align/resample_several.hpp>
#include <zerobeat/align/reshape.hpp>
#include <zerobeat/align/shift.hpp>
#include <zerobeat/base/error.hpp>
#include <zerobeat/base/text.hpp>
#include <zerobeat/clean/clip.hpp>
#include <zerobeat/clean/compute.hpp>
#include <zerobeat/clean/fill.hpp>
#include <zerobeat/clean/select.hpp>
#include <zerobeat/clean/settle.hpp>
#include <zerobeat/clean/spells.hpp>
#include <zerobeat/clean/stamp.hpp>
#include <zerobeat/expression/expression.hpp>
#include <zerobeat/io/arrow_data.hpp>
#include <zerobeat/io/calendar.hpp>
#include <zerobeat/io/limits.hpp>
#include <zerobeat/io/read.hpp>
#include <zerobeat/io/source_name.hpp>
#include <zerobeat/io/write.hpp>
#include <zerobeat/judge/judge.hpp>
#include <zerobeat/plan/plan.hpp>
#include <zerobeat/regular/describe.hpp>
#include <zerobeat/regular/gaps.hpp>
#include <zerobeat/regular/profile.hpp>
#include <zerobeat/regular/resample.hpp>
#include <zerobeat/regular/thin.hpp>
#include <zerobeat/view/plot.hpp>
#include <zerobeat/view/report.hpp>
#include <zerobeat/window/lag.hpp>
#include <zerobeat/window/roll.hpp>
