/// The demo's holidays and its plan, as they stand in their files.

#pragma once

namespace zerobeat::tool {

inline constexpr const char* holidays_text =
    "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Brannoc Quay//Harbour Office//EN\r\n"
    "BEGIN:VEVENT\r\nUID:harbour-day@brannoc-quay.example\r\nDTSTAMP:20200101T000000Z\r\n"
    "DTSTART;VALUE=DATE:20201027\r\nRRULE:FREQ=YEARLY\r\nSUMMARY:Harbour Day\r\nEND:VEVENT\r\n"
    "BEGIN:VEVENT\r\nUID:midwinter@brannoc-quay.example\r\nDTSTAMP:20200101T000000Z\r\n"
    "DTSTART;VALUE=DATE:20201225\r\nDTEND;VALUE=DATE:20201227\r\nRRULE:FREQ=YEARLY\r\n"
    "SUMMARY:Midwinter\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n";

inline constexpr const char* plan_text =
    R"plan(# Brannoc Quay: tide, auction, ice store, landings and winch on one 15-minute beat,
# across the night that the clocks go back.
zone = "Europe/Dublin"

[source.tide]
file = "tide_gauge.csv"
time = "observed_at"
rejects = "out/tide_rejects.csv"

[source.trades]
file = "fish_auction.csv"
time = "day+clock"
date-order = "dmy"
repeated = "order"
key = "species"
rejects = "out/trades_rejects.csv"

[source.skerry]
file = "skerry_auction.csv"         # another market: another zone, and the month first
time = "sold_at"
date-order = "mdy"
zone = "Europe/Oslo"
repeated = "order"
key = "species"
rejects = "out/skerry_rejects.csv"

[source.store_probes]
file = "ice_store.csv"
key = "probe"

[source.landings]
file = "records.tar.gz"             # what is packed is read as it is
member = "landings.csv"

[source.winch]
file = "winch_vibration.csv"
stamp = { start-from = "started", rate-from = "sample rate" }

# The water: the hour that the gauge stuck goes, and spikes by what is around them.
[series.clean_tide]
from = "tide"
steps = [
  { clip = { on = "level_m", stuck = "30min", fences = 3, window = 9, put = "missing", flag = true, band = true, changes = "out/level_clipped.csv" } },
]

[series.quarters]
from = "clean_tide"
steps = [
  { resample = { every = "15min", take = "level=mean(level_m)" } },
]

# Which way of filling is best for it, tried on readings that are hidden.
[series.ways]
from = "quarters"
steps = [
  { fill = { try = "linear,monotone,spline,previous,seasonal:12h25min", hide = 0.1 } },
]

# Gaps up to an hour and a half are filled that way, the long one stays open.
[series.level]
from = "quarters"
steps = [
  { fill = { how = "spline", max-gap = "1h30min" } },
  { roll = { window = "2h", place = "centred", take = "level_2h=mean(level)" } },
]

# When the water stood high, for those who moor: its times, and its peaks.
[series.high_water]
from = "level"
steps = [
  { spells = { where = "level > 4", bridge = "30min", take = "peak=max(level)" } },
]

# The auction: a slip of the finger is ten times its neighbours; the level of its time takes its place.
[series.clean_trades]
from = "trades"
called = "brannoc_quay"
steps = [
  { clip = { on = "price_eur", spread = 6, window = "3h", put = "level", flag = true, changes = "out/price_clipped.csv" } },
]

# Both markets as one, if they are what they should be: else nothing is written.
[series.markets]
from = ["clean_trades", "skerry"]
steps = [
  { append = { key-from = "market" } },
  { select = { columns = "sold_at=day+clock,price_eur,kg" } },
  { expect = { strands = 6, rows = "100..", range = "price_eur:1,20", max-gap = "1d" } },
  { resample = { every = "1d", take = "price=wmean(price_eur,kg), kg=sum(kg), trades=count()", span = "all" } },
]

[series.prices]
from = "clean_trades"
steps = [
  { resample = { every = "15min", take = "price=wmean(price_eur,kg), kg=sum(kg), trades=count()" } },
  { fill = { how = "previous", on = "price", max-gap = "1h" } },
  { roll = { window = "2h", take = "price_2h=mean(price)" } },
  { lag = { by = "1h", take = "change_1h=change(price)" } },
]

# What is there and what is not.
[series.tide_gaps]
from = "tide"
steps = [{ gaps = { on = "level_m" } }]

[series.quarter_gaps]
from = "quarters"
steps = [{ gaps = { on = "level" } }]

[series.price_gaps]
from = "prices"
steps = [{ gaps = { on = "price" } }]

# The ice store: one probe's clock is fast and gains, which the others show; set right, a column each.
[series.tuned]
from = "store_probes"
steps = [
  { tune = { against = "cold_1", on = "temperature_c", drift = true, found = "out/clocks.csv" } },
]

[series.store]
from = "tuned"
steps = [
  { resample = { every = "15min", take = "temperature=mean(temperature_c)" } },
  { reshape = { into = "wide" } },
]

# Both: what stood in the harbour when a price was made.
[series.board]
from = ["prices", "level"]
steps = [
  { join = { match = "previous", tolerance = "15min" } },
]

[series.landed]
from = "landings"
steps = [
  { select = { between = "2025-10-20,2025-11-01" } },
]

# Trend, the shape of a working week, and the rest.
[series.landings_parts]
from = "landings"
steps = [
  { decompose = { season = 5, on = "landed_kg", robust = true, by-rows = true } },
]

# The next four weeks of working days, and how each model would have done on the last five times
# four.
[series.landings_ahead]
from = "landings"
steps = [
  { forecast = { ahead = "4wk", on = "landed_kg", season = 5, holidays = "holidays.ics" } },
]

[series.landings_tried]
from = "landings"
steps = [
  { forecast = { ahead = "4wk", on = "landed_kg", season = 5, holidays = "holidays.ics", try = ["naive", "seasonal", "smoothing", "arima"] } },
]

# High and low waters.
[series.waters]
from = "clean_tide"
steps = [
  { peaks = { on = "level_m", kind = "both", prominence = 1, apart = "3h" } },
]

# All sources on one beat.
[series.harbour]
from = ["prices", "level", "store", "landed", "winch"]
steps = [
  { align = { onto = "15min", how = "exact, landed:previous, winch:max" } },
]

[output.board]
file = "out/board.csv"
local = true

[output.markets]
file = "out/markets.csv"
local = true

[output.harbour]
file = "out/harbour.csv"
local = true

[output.clocks]
from = "tuned"
figure = "out/clocks.png"           # what the step made is what its picture shows

[output.level]
file = "out/level.csv"

[output.level_arrow]
file = "out/level.arrow"            # by the ending; .jsonl, .csv.gz or .sqlite would do, too
from = "level"

[output.high_water]
file = "out/high_water.csv"
local = true

[output.waters]
file = "out/waters.csv"
local = true

[output.parts]
from = "landings_parts"
figure = "out/parts.png"

[output.landings_ahead]
file = "out/landings_ahead.csv"

[output.landings_tried]
file = "out/landings_tried.csv"

[output.ahead]
from = "landings_ahead"
figure = "out/ahead.png"

[output.water]
from = "tide"
figure = "out/water.png"
y = "level_m,level_2h"
over = "level"

[output.ways]
file = "out/ways.csv"

[output.trial]
from = "ways"
figure = "out/trial.png"

[output.spikes]
from = "tide"
figure = "out/spikes.png"
y = "level_m"
over = "clean_tide"
between = "2025-10-25,2025-10-27"

[output.missing]
from = ["tide_gaps", "quarter_gaps", "price_gaps"]
figure = "out/missing.png"

[output.auction]
from = "trades"
figure = "out/auction.png"
y = "price_eur"
over = "clean_trades"
keys = "megrim"

[output.health]
report = "out/harbour.html"         # a page on every source: whether to trust it, and why

[output.beat]
from = ["prices", "level"]
figure = "out/beat.png"
y = "price_2h"
y2 = "level"
)plan";

}  // namespace zerobeat::tool
