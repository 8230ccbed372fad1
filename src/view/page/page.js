// What makes a page alive: columns that can be zoomed into, means that can be opened, changes that
// can be filtered. All that it shows is in the page already; without it the page is read as it is.
(() => {
  'use strict';

  const nanosecondsOf = { second: 1e9, minute: 6e10, hour: 3.6e12, day: 8.64e13 };
  const months = 'Jan Feb Mar Apr May Jun Jul Aug Sep Oct Nov Dec'.split(' ');

  function element(name, properties = {}, children = []) {
    const made = document.createElement(name);
    for (const [property, value] of Object.entries(properties)) {
      if (property === 'data') Object.assign(made.dataset, value);
      else made[property] = value;
    }
    made.append(...children);
    return made;
  }

  // Numbers as the page holds them: base64, the lowest byte first.
  function bytesOf(text) {
    const letters = atob(text);
    const bytes = new Uint8Array(letters.length);
    for (let i = 0; i < letters.length; ++i) bytes[i] = letters.charCodeAt(i);
    return new DataView(bytes.buffer);
  }

  function doubles(text = '') {
    const view = bytesOf(text);
    const numbers = new Float64Array(view.byteLength / 8);
    for (let i = 0; i < numbers.length; ++i) numbers[i] = view.getFloat64(8 * i, true);
    return numbers;
  }

  function floats(text = '') {
    const view = bytesOf(text);
    const numbers = new Float64Array(view.byteLength / 4);
    for (let i = 0; i < numbers.length; ++i) numbers[i] = view.getFloat32(4 * i, true);
    return numbers;
  }

  const numberText = (value) => String(Number(value.toPrecision(6)));
  const two = (number) => String(number).padStart(2, '0');

  function lengthText(seconds) {
    const units = [
      ['d', 86400],
      ['h', 3600],
      ['min', 60],
      ['s', 1],
      ['ms', 1e-3],
      ['us', 1e-6],
    ];
    const [unit, size] = units.find((each) => seconds >= each[1]) ?? ['ns', 1e-9];
    return `${Number((seconds / size).toPrecision(3))} ${unit}`;
  }

  // The first place of a sorted list whose value is not below.
  function placeOf(sorted, value) {
    let low = 0;
    let high = sorted.length;
    while (low < high) {
      const middle = (low + high) >> 1;
      if (sorted[middle] < value) low = middle + 1;
      else high = middle;
    }
    return low;
  }

  const floorDivided = (a, b) => a / b - (a % b < 0n ? 1n : 0n);

  // What the clocks of a zone show; instants are nanoseconds since 1970, as whole numbers.
  class Clock {
    constructor(holder) {
      this.zone = holder?.dataset.zone ?? 'UTC';
      this.offsets = JSON.parse(holder?.dataset.offsets ?? '[[0,0]]');
    }

    offsetAt(instant) {
      const second = Number(floorDivided(instant, 1000000000n));
      let offset = this.offsets[0][1];
      for (const [from, own] of this.offsets) if (from <= second) offset = own;
      return offset;
    }

    // The parts of a time on the clock, the offset that many seconds from UTC.
    static text(instant, offset, mark) {
      const local = instant + BigInt(offset) * 1000000000n;
      const second = floorDivided(local, 1000000000n);
      const rest = String(local - second * 1000000000n).padStart(9, '0');
      const digits = /^0+$/.test(rest) ? 0 : /0{6}$/.test(rest) ? 3 : /0{3}$/.test(rest) ? 6 : 9;
      const whole = new Date(Number(second) * 1000).toISOString().slice(0, 19);
      return whole + (digits > 0 ? '.' + rest.slice(0, digits) : '') + mark;
    }

    static utc(instant) {
      return Clock.text(instant, 0, 'Z');
    }

    local(instant) {
      const offset = this.offsetAt(instant);
      const size = Math.abs(offset);
      const mark = `${offset < 0 ? '-' : '+'}${two(Math.floor(size / 3600))}:${two(
        Math.floor(size / 60) % 60,
      )}`;
      return Clock.text(instant, offset, offset === 0 && this.zone === 'UTC' ? 'Z' : mark);
    }
  }

  // Ticks of a time axis at round local times.
  class TimeTicks {
    constructor(clock, zero) {
      this.clock = clock;
      this.zero = zero;
    }

    // A time of the axis as milliseconds of the local clock, and back.
    localOf(x) {
      const instant = this.zero + BigInt(Math.floor(x));
      return Number(floorDivided(instant, 1000000n)) + this.clock.offsetAt(instant) * 1000;
    }

    placeOf(local) {
      const instant = (ms) => BigInt(ms) * 1000000n;
      let offset = this.clock.offsetAt(instant(local));
      offset = this.clock.offsetAt(instant(local - offset * 1000));
      return Number(instant(local - offset * 1000) - this.zero);
    }

    between(low, high, most) {
      const least = (high - low) / Math.max(1, most);
      if (least < nanosecondsOf.second) return this.fractions(low, high, least);
      const steps = [1, 2, 5, 10, 15, 30]
        .map((n) => n * 1e9)
        .concat([1, 2, 5, 10, 15, 30].map((n) => n * nanosecondsOf.minute))
        .concat([1, 2, 3, 6, 12, 24, 48].map((n) => n * nanosecondsOf.hour));
      const step = steps.find((each) => each >= least);
      if (step !== undefined) return this.steps(low, high, step / 1e6);
      const inMonths = [1, 3, 6, 12, 24, 60, 120, 240, 600, 1200].find(
        (n) => n * 30 * nanosecondsOf.day >= least,
      );
      const inWeeks = 7 * nanosecondsOf.day >= least ? 7 : 14 * nanosecondsOf.day >= least ? 14 : 0;
      if (inWeeks > 0) return this.steps(low, high, (inWeeks * nanosecondsOf.day) / 1e6);
      return this.months(low, high, inMonths ?? 1200);
    }

    // Below a second, from the second that the first lies in.
    fractions(low, high, least) {
      const power = 10 ** Math.floor(Math.log10(Math.max(1, least)));
      const step = [1, 2, 5, 10].map((n) => n * power).find((each) => each >= least);
      const second = 1000000000n;
      const whole = floorDivided(this.zero + BigInt(Math.floor(low)), second) * second;
      const base = Number(whole - this.zero);
      const ticks = [];
      for (let n = Math.ceil((low - base) / step); base + n * step <= high; ++n) {
        const instant = whole + BigInt(Math.round(n * step));
        const text = this.clock
          .local(instant)
          .slice(17)
          .replace(/(Z|[+-]\d\d:\d\d)$/, '');
        ticks.push({ v: base + n * step, label: text });
      }
      return ticks;
    }

    steps(low, high, step) {
      const ticks = [];
      const end = this.localOf(high);
      for (let at = Math.ceil(this.localOf(low) / step) * step; at <= end; at += step) {
        const v = this.placeOf(at);
        if (v < low || v > high) continue;
        const date = new Date(at);
        const day = `${date.getUTCDate()} ${months[date.getUTCMonth()]}`;
        const clock = date.toISOString().slice(11, step < 60000 ? 19 : 16);
        ticks.push({ v, label: at % 86400000 === 0 ? day : clock });
      }
      return ticks;
    }

    months(low, high, step) {
      const ticks = [];
      const first = new Date(this.localOf(low));
      let month = first.getUTCFullYear() * 12 + first.getUTCMonth();
      month = Math.floor(month / step) * step;
      for (; ; month += step) {
        const date = new Date(0);
        date.setUTCFullYear(Math.floor(month / 12), month % 12, 1);
        const v = this.placeOf(date.getTime());
        if (v > high) break;
        const name = months[month % 12];
        const label = month % 12 === 0 ? String(Math.floor(month / 12)) : name;
        if (v >= low) ticks.push({ v, label });
      }
      return ticks;
    }
  }

  // A column of a strand as the page holds it; places are nanoseconds after the first time, or
  // numbers of the elapsed unit.
  class Course {
    constructor(figure, clock) {
      const held = figure.dataset;
      this.clock = clock;
      this.zero = held.zero === undefined ? undefined : BigInt(held.zero);
      this.first = this.zero === undefined ? Number(held.from) : 0;
      this.last = this.first + Number(held.length);
      this.open = Number(held.open ?? Infinity);
      this.pieces = floats(held.pieces);
      this.stretches = [];
      const numbers = doubles(held.stretches);
      for (let at = 0; at < numbers.length; ) {
        const rows = numbers[at++];
        const times = numbers.subarray(at, at + rows);
        this.stretches.push({ times, values: numbers.subarray(at + rows, at + 2 * rows) });
        at += 2 * rows;
      }
    }

    get isInstants() {
      return this.zero !== undefined;
    }

    instantOf(x) {
      return this.zero + BigInt(Math.round(x));
    }

    // As the page's attributes have it.
    text(x) {
      return this.isInstants ? Clock.utc(this.instantOf(x)) : String(x);
    }

    // As people of the zone read it.
    shown(x) {
      return this.isInstants ? this.clock.local(this.instantOf(x)) : numberText(x);
    }

    // The same for an edge of what is shown: no finer than that asks.
    edgeText(x, length) {
      if (!this.isInstants) return numberText(x);
      const digits = [9, 6, 3].find((each) => 10 ** each * 1000 <= length) ?? 0;
      const unit = BigInt(10 ** digits);
      return this.clock.local(floorDivided(this.instantOf(x) + unit / 2n, unit) * unit);
    }

    seconds(length) {
      return this.isInstants ? length / 1e9 : length;
    }

    pieceText(piece) {
      return this.isInstants ? lengthText(piece) : numberText(piece);
    }

    // What is shown between two places: rows [place, [least, mean, greatest]], and how long the
    // pieces are; 0 when they are the readings.
    view(low, high) {
      const mostRows = 1500;
      const stretch = this.stretches.find(
        (each) => each.times[0] <= low && each.times[each.times.length - 1] >= high,
      );
      if (stretch === undefined) return this.heldPieces(low, high);
      const begin = Math.max(0, placeOf(stretch.times, low) - 1);
      const end = Math.min(stretch.times.length, placeOf(stretch.times, high) + 2);
      if (end - begin > mostRows) return this.readPieces(stretch, begin, end, low, high);
      const rows = [];
      for (let i = begin; i < end; ++i) {
        const value = Number.isNaN(stretch.values[i]) ? null : stretch.values[i];
        if (i > begin && stretch.times[i] - stretch.times[i - 1] > this.open) {
          const middle = (stretch.times[i] + stretch.times[i - 1]) / 2;
          rows.push([middle, [null, null, null]]);
        }
        rows.push([stretch.times[i], [value, value, value]]);
      }
      return { rows, piece: 0 };
    }

    // Pieces of the readings, when there are more than can be seen.
    readPieces(stretch, begin, end, low, high) {
      const count = 700;
      const length = (high - low) / count;
      const pieces = [];
      for (let i = begin; i < end; ++i) {
        const value = stretch.values[i];
        if (Number.isNaN(value)) continue;
        const number = Math.floor((stretch.times[i] - low) / length);
        const last = pieces[pieces.length - 1];
        if (last !== undefined && last.number === number) {
          last.least = Math.min(last.least, value);
          last.most = Math.max(last.most, value);
          last.sum += value;
          ++last.rows;
        } else {
          pieces.push({ number, least: value, most: value, sum: value, rows: 1 });
        }
      }
      const rows = pieces.map((piece) => [
        low + (piece.number + 0.5) * length,
        [piece.least, piece.sum / piece.rows, piece.most],
      ]);
      return { rows: this.opened(rows, length), piece: this.seconds(length) };
    }

    // The pieces that the page holds, so many of them together that they can be seen.
    heldPieces(low, high) {
      const count = this.pieces.length / 3;
      const length = (this.last - this.first) / count;
      let together = 1;
      while ((high - low) / (length * together) > 1000) together *= 2;
      const rows = [];
      const from = Math.max(0, Math.floor((low - this.first) / length / together) - 1) * together;
      for (let i = from; i < count && this.first + i * length <= high; i += together) {
        let least = Infinity;
        let most = -Infinity;
        let sum = 0;
        let any = 0;
        for (let j = i; j < Math.min(count, i + together); ++j) {
          if (Number.isNaN(this.pieces[3 * j])) continue;
          least = Math.min(least, this.pieces[3 * j]);
          most = Math.max(most, this.pieces[3 * j + 1]);
          sum += this.pieces[3 * j + 2];
          ++any;
        }
        if (any === 0) continue;
        rows.push([this.first + (i + together / 2) * length, [least, sum / any, most]]);
      }
      return { rows: this.opened(rows, length * together), piece: this.seconds(length * together) };
    }

    // Rows with lines broken where there is nothing for longer than a gap.
    opened(rows, length) {
      const out = [];
      for (const [i, row] of rows.entries()) {
        if (i > 0 && row[0] - rows[i - 1][0] > this.open + length) {
          out.push([(row[0] + rows[i - 1][0]) / 2, [null, null, null]]);
        }
        out.push(row);
      }
      return out;
    }
  }

  const ink = (name) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();

  // A column's figure, zoomed and moved.
  class Zoomed {
    constructor(figure, clock) {
      this.figure = figure;
      this.course = new Course(figure, clock);
      this.low = this.course.first;
      this.high = this.course.last;
      this.caption = figure.querySelector('figcaption');
      this.told = element('output', { className: 'told' });
      this.place = element('div', { className: 'chart' });
      this.whole = element('button', { type: 'button', textContent: 'Whole' });
      this.whole.addEventListener('click', () => this.show(this.course.first, this.course.last));
      figure.querySelector('svg').before(this.place);
      this.caption.before(element('div', { className: 'under' }, [this.told, this.whole]));
      figure.classList.add('live');
      figure.tabIndex = 0;
      figure.setAttribute('role', 'group');
      figure.setAttribute(
        'aria-label',
        `${figure.querySelector('svg').getAttribute('aria-label')}: + and - zoom, arrows move, 0 is the whole`,
      );
      this.draw();
      this.listen();
    }

    draw() {
      const { rows } = this.course.view(this.low, this.high);
      const axes = { y: { axisLabelWidth: 62, axisLabelFormatter: numberText } };
      axes.x = this.course.isInstants
        ? { ticker: (low, high, pixels) => this.ticks(low, high, pixels) }
        : { axisLabelFormatter: numberText };
      this.chart = new Dygraph(this.place, rows, {
        axes,
        customBars: true,
        dateWindow: [this.low, this.high],
        fillAlpha: 0.6,
        highlightCallback: (event, x, points) => this.tell(x, points),
        interactionModel: {},
        labels: ['time', 'reading'],
        legend: 'never',
        pointSize: 2,
        strokeWidth: 1.4,
        unhighlightCallback: () => this.tell(),
        ...this.inks(),
      });
      this.show(this.low, this.high);
    }

    inks() {
      return {
        axisLineColor: ink('--frame'),
        colors: [ink('--course')],
        gridLineColor: ink('--line'),
      };
    }

    ticks(low, high, pixels) {
      return new TimeTicks(this.course.clock, this.course.zero).between(low, high, pixels / 80);
    }

    show(low, high) {
      const { course } = this;
      const least = Math.max((course.last - course.first) * 1e-12, course.isInstants ? 10 : 1e-12);
      const length = Math.min(course.last - course.first, Math.max(high - low, least));
      this.low = Math.max(course.first, Math.min(low, course.last - length));
      this.high = this.low + length;
      const { rows, piece } = course.view(this.low, this.high);
      let least_ = Infinity;
      let most = -Infinity;
      for (const [, [a, , b]] of rows) {
        if (a === null) continue;
        least_ = Math.min(least_, a);
        most = Math.max(most, b);
      }
      if (!(least_ <= most)) [least_, most] = [0, 1];
      const room = most > least_ ? 0.05 * (most - least_) : Math.max(1e-9, 0.05 * Math.abs(most));
      this.chart.updateOptions({
        dateWindow: [this.low, this.high],
        drawPoints: piece === 0 && rows.length < 200,
        file: rows.length > 0 ? rows : [[this.low, [null, null, null]]],
        valueRange: [least_ - room, most + room],
      });
      this.figure.dataset.from = course.text(this.low);
      this.figure.dataset.to = course.text(this.high);
      this.figure.dataset.piece = piece === 0 ? 'readings' : String(piece);
      this.whole.disabled = this.low === course.first && this.high === course.last;
      this.caption.textContent = this.captionText(piece);
      this.tell();
    }

    captionText(piece) {
      const { course } = this;
      const what =
        piece === 0
          ? 'every reading'
          : `least, greatest and mean of pieces of ${course.pieceText(piece)}`;
      const where = course.isInstants ? ` (${course.clock.zone})` : '';
      const leftOut = this.figure.dataset.leftOut;
      const rest =
        piece !== 0 && leftOut !== undefined
          ? `; the readings about ${leftOut} places have no room on this page`
          : '';
      const length = this.high - this.low;
      const edges = [this.low, this.high].map((edge) => course.edgeText(edge, length));
      return `${what}, ${edges.join(' to ')}${where}${rest}`;
    }

    tell(x, points) {
      if (points === undefined || points.length === 0) {
        this.told.textContent = '';
        return;
      }
      const [point] = points;
      const parts = [`${this.course.shown(x)}: ${numberText(point.yval)}`];
      const row = this.chart.getValue(point.idx, 1);
      if (row !== null && row[0] !== row[2]) {
        parts.push(`least ${numberText(row[0])}, greatest ${numberText(row[2])}`);
      }
      this.told.textContent = parts.join(', ');
    }

    // Zooms so that the length is that share of what it was, about a place.
    zoom(share, about = (this.low + this.high) / 2) {
      this.show(about - (about - this.low) * share, about + (this.high - about) * share);
    }

    move(share) {
      const by = (this.high - this.low) * share;
      const { course } = this;
      const bounded = Math.max(course.first - this.low, Math.min(by, course.last - this.high));
      this.show(this.low + bounded, this.high + bounded);
    }

    placeAt(event) {
      return this.chart.toDataXCoord(event.clientX - this.place.getBoundingClientRect().left);
    }

    listen() {
      this.figure.addEventListener('keydown', (event) => this.key(event));
      this.place.addEventListener(
        'wheel',
        (event) => {
          if (!event.ctrlKey) return;
          event.preventDefault();
          this.zoom(event.deltaY < 0 ? 0.7 : 1 / 0.7, this.placeAt(event));
        },
        { passive: false },
      );
      this.place.addEventListener('dblclick', () => this.show(this.course.first, this.course.last));
      this.pointers = new Map();
      this.place.addEventListener('pointerdown', (event) => this.down(event));
      this.place.addEventListener('pointermove', (event) => this.moved(event));
      for (const name of ['pointerup', 'pointercancel']) {
        this.place.addEventListener(name, (event) => this.up(event));
      }
    }

    key(event) {
      if (event.target !== this.figure || event.ctrlKey || event.metaKey || event.altKey) return;
      const keys = {
        '+': () => this.zoom(0.5),
        '=': () => this.zoom(0.5),
        '-': () => this.zoom(2),
        ArrowLeft: () => this.move(-0.25),
        ArrowRight: () => this.move(0.25),
        0: () => this.show(this.course.first, this.course.last),
      };
      const work = keys[event.key];
      if (work === undefined) return;
      event.preventDefault();
      work();
    }

    // A mouse marks what is zoomed into, or moves with Shift; a finger moves, two zoom.
    down(event) {
      if (event.button !== 0) return;
      this.place.setPointerCapture(event.pointerId);
      this.pointers.set(event.pointerId, event.clientX);
      if (event.pointerType === 'mouse' && !event.shiftKey) {
        event.preventDefault();
        this.figure.focus({ preventScroll: true });
        this.marked = element('div', { className: 'marked' });
        this.markedFrom = event.clientX;
        this.place.append(this.marked);
      }
    }

    moved(event) {
      const before = this.pointers.get(event.pointerId);
      if (before === undefined) return;
      if (this.marked !== undefined) {
        const box = this.place.getBoundingClientRect();
        const left = Math.min(this.markedFrom, event.clientX) - box.left;
        this.marked.style.left = `${left}px`;
        this.marked.style.width = `${Math.abs(event.clientX - this.markedFrom)}px`;
        return;
      }
      const perPixel = (this.high - this.low) / Math.max(1, this.chart.getArea().w);
      const others = [...this.pointers].filter(([id]) => id !== event.pointerId);
      if (others.length === 1) {
        const other = others[0][1];
        const share = Math.abs(before - other) / Math.max(10, Math.abs(event.clientX - other));
        const left = this.place.getBoundingClientRect().left;
        this.zoom(share, this.chart.toDataXCoord(other - left));
      } else {
        const by = (before - event.clientX) * perPixel;
        this.move(by / (this.high - this.low));
      }
      this.pointers.set(event.pointerId, event.clientX);
    }

    up(event) {
      this.pointers.delete(event.pointerId);
      if (this.marked === undefined) return;
      this.marked.remove();
      this.marked = undefined;
      const to = this.placeAt(event);
      const left = this.place.getBoundingClientRect().left;
      const from = this.chart.toDataXCoord(this.markedFrom - left);
      const leastPixels = 4;
      if (event.type !== 'pointerup') return;
      if (Math.abs(event.clientX - this.markedFrom) < leastPixels) return;
      this.show(Math.max(this.low, Math.min(from, to)), Math.min(this.high, Math.max(from, to)));
    }
  }

  // The days of the years of a zone.
  class Days {
    constructor(holder) {
      this.firstYear = Number(holder.dataset.firstYear);
      this.edges = [BigInt(holder.dataset.zero)];
      for (const [length, count] of JSON.parse(holder.dataset.lengths)) {
        const step = BigInt(length);
        for (let i = 0; i < count; ++i) this.edges.push(this.edges[this.edges.length - 1] + step);
      }
    }

    date(day) {
      return new Date(Date.UTC(this.firstYear, 0, 1 + day));
    }

    // The first day of a month, counted from the first year's.
    month(number) {
      const start = Date.UTC(this.firstYear, 0, 1);
      return Math.round((Date.UTC(this.firstYear, number, 1) - start) / 86400000);
    }

    hours(day) {
      const hour = 3600000000000n;
      return Number((this.edges[day + 1] - this.edges[day] + hour - 1n) / hour);
    }
  }

  // Bars by year, and what lies in each.
  class Levels {
    constructor(place, days, clock, figure) {
      const held = place.dataset;
      this.place = place;
      this.days = days;
      this.clock = clock;
      this.figure = figure;
      this.means = {
        year: doubles(held.years),
        quarter: doubles(held.quarters),
        month: doubles(held.months),
        day: held.days === undefined ? undefined : doubles(held.days),
        hour: held.hours === undefined ? undefined : doubles(held.hours),
      };
      this.firstDay = Number(held.firstDay ?? 0);
      this.path = [{ level: 'year', name: 'all years', mean: Number(held.mean) }];
      place.classList.add('live');
      this.show();
    }

    bar(level, number, firstDay, endDay, name) {
      const { edges } = this.days;
      return {
        from: edges[firstDay],
        level,
        name,
        number,
        to: edges[endDay],
        value: this.means[level][number],
      };
    }

    // What lies in the last of the path.
    bars() {
      const { level, number } = this.path[this.path.length - 1];
      const bars = [];
      if (level === 'year') {
        for (let year = 0; year < this.means.year.length; ++year) {
          const ends = [this.days.month(12 * year), this.days.month(12 * (year + 1))];
          bars.push(this.bar('year', year, ...ends, String(this.days.firstYear + year)));
        }
      } else if (level === 'quarter') {
        for (let q = 4 * number; q < 4 * number + 4; ++q) {
          const ends = [this.days.month(3 * q), this.days.month(3 * q + 3)];
          bars.push(this.bar('quarter', q, ...ends, `Q${(q % 4) + 1}`));
        }
      } else if (level === 'month') {
        for (let month = 3 * number; month < 3 * number + 3; ++month) {
          const ends = [this.days.month(month), this.days.month(month + 1)];
          bars.push(this.bar('month', month, ...ends, months[month % 12]));
        }
      } else if (level === 'day') {
        for (let day = this.days.month(number); day < this.days.month(number + 1); ++day) {
          const name = String(this.days.date(day).getUTCDate());
          const own = day - this.firstDay;
          bars.push({ ...this.bar('day', own, day, day + 1, name), day });
        }
      } else {
        this.addHours(this.path[this.path.length - 1].day, bars);
      }
      return bars;
    }

    addHours(day, bars) {
      let before = 0;
      for (let other = this.firstDay; other < day; ++other) before += this.days.hours(other);
      const hour = 3600000000000n;
      for (let i = 0; i < this.days.hours(day); ++i) {
        const from = this.days.edges[day] + BigInt(i) * hour;
        const end = this.days.edges[day + 1];
        const to = from + hour < end ? from + hour : end;
        const name = this.clock.local(from).slice(11, 16);
        bars.push({ from, level: 'hour', name, to, value: this.means.hour[before + i] });
      }
    }

    below(level) {
      const order = ['year', 'quarter', 'month', 'day', 'hour'];
      const next = order[order.indexOf(level) + 1];
      return next !== undefined && this.means[next] !== undefined ? next : undefined;
    }

    show() {
      const here = this.path[this.path.length - 1];
      const bars = this.bars();
      const there = bars.filter((bar) => Number.isFinite(bar.value));
      const values = there.map((bar) => bar.value).concat([here.mean, 0]);
      const scale = { low: Math.min(...values), high: Math.max(...values) };
      if (scale.low === scale.high) scale.high = scale.low + 1;
      scale.high += 0.06 * (scale.high - scale.low);
      this.place.dataset.level = here.level;
      this.place.dataset.mean = String(here.mean);
      const back = element('button', {
        data: { back: '' },
        disabled: this.path.length === 1,
        textContent: '← back',
        type: 'button',
      });
      back.addEventListener('click', () => {
        this.path.pop();
        this.show();
        this.place.querySelector('button:not([disabled])')?.focus();
      });
      const path = this.path.map((each) => each.name).join(' › ');
      const told = element('p', {
        className: 'soft',
        textContent: `${path}, by ${here.level}; the dashed line is their mean, ${numberText(here.mean)}`,
      });
      const row = element(
        'div',
        { className: 'bars' },
        bars.map((bar) => this.drawn(bar, scale, bars.length)),
      );
      const line = element('div', { className: 'mean' });
      line.style.bottom = `calc(1.4rem + (100% - 1.4rem) * ${
        (here.mean - scale.low) / (scale.high - scale.low)
      })`;
      row.append(line);
      for (const old of this.place.querySelectorAll('.opened')) old.remove();
      const head = element('div', { className: 'under' }, [told, back]);
      this.place.append(element('div', { className: 'opened' }, [head, row]));
    }

    drawn(bar, scale, count) {
      const label = element('span', { className: 'name', textContent: bar.name });
      const range = `${this.clock.local(bar.from)} to ${this.clock.local(bar.to)}`;
      if (!Number.isFinite(bar.value)) {
        return element('div', { className: 'none', title: `${range}: no readings` }, [label]);
      }
      const share = (value) => (value - scale.low) / (scale.high - scale.low);
      const body = element('span', { className: 'body' });
      body.style.bottom = `${100 * share(Math.min(0, bar.value))}%`;
      body.style.height = `${100 * (share(Math.max(0, bar.value)) - share(Math.min(0, bar.value)))}%`;
      const mostNumbers = 12;
      if (count <= mostNumbers) body.textContent = numberText(bar.value);
      const data = {
        from: Clock.utc(bar.from),
        to: Clock.utc(bar.to),
        value: String(bar.value),
      };
      const button = element('button', { data, title: `${range}: ${bar.value}`, type: 'button' }, [
        element('span', { className: 'shaft' }, [body]),
        label,
      ]);
      button.setAttribute('aria-label', `${range}: ${numberText(bar.value)}`);
      button.addEventListener('click', () => this.open(bar));
      return button;
    }

    // Opens a bar; one of the finest is shown in its column's figure.
    open(bar) {
      const level = this.below(bar.level);
      if (level === undefined) {
        if (this.figure === undefined) return;
        const { course } = this.figure;
        this.figure.show(Number(bar.from - course.zero), Number(bar.to - course.zero));
        return;
      }
      this.path.push({ ...bar, level, mean: bar.value });
      this.show();
      this.place.querySelector('.bars button')?.focus();
    }
  }

  function makeFilters(table) {
    const rows = [...table.querySelectorAll('tbody tr')];
    const scroll = table.closest('.scroll');
    const told = element('output', { className: 'soft' });
    const select = (name, attribute) => {
      // Of rows without a key a dash stands for it; what is not chosen is all.
      const textOf = (row) => row.dataset[attribute] || '–';
      const made = element('select', { name }, [
        element('option', { textContent: 'all', value: '' }),
      ]);
      for (const value of new Set(rows.map(textOf))) {
        made.append(element('option', { textContent: value, value }));
      }
      made.setAttribute('aria-label', name);
      const passes = (row) => made.value === '' || textOf(row) === made.value;
      return { label: element('label', {}, [`${name} `, made]), made, passes };
    };
    const filters = [select('Column', 'column'), select('Strand', 'key')];
    const apply = () => {
      let shown = 0;
      for (const row of rows) {
        row.hidden = !filters.every((filter) => filter.passes(row));
        shown += row.hidden ? 0 : 1;
      }
      told.textContent = shown === rows.length ? '' : `${shown} of ${rows.length} rows`;
    };
    for (const filter of filters) filter.made.addEventListener('change', apply);
    scroll.before(
      element('div', { className: 'filters' }, [...filters.map((filter) => filter.label), told]),
    );
  }

  // What a mark on a strip says, for those who point, touch or walk by keys.
  function tellMarks(article) {
    const told = element('output', { className: 'told' });
    const tell = (event) => {
      const mark = event.target.closest('[data-line]');
      if (mark === null) return;
      told.textContent = mark.querySelector('title').textContent;
    };
    for (const name of ['pointerover', 'focusin', 'click']) article.addEventListener(name, tell);
    if (article.querySelector('[data-line]') !== null) article.append(told);
  }

  const holder = (kind, source) => document.querySelector(`.${kind}[data-of="${source}"]`);
  const clocks = new Map();
  const clockOf = (source) => {
    if (!clocks.has(source)) clocks.set(source, new Clock(holder('clock', source) ?? undefined));
    return clocks.get(source);
  };

  const figures = [...document.querySelectorAll('#columns figure')].map(
    (figure) => new Zoomed(figure, clockOf(figure.dataset.clock)),
  );
  const days = new Map();
  for (const place of document.querySelectorAll('#drill .levels')) {
    const { clock, column, key } = place.dataset;
    if (!days.has(clock)) days.set(clock, new Days(holder('days', clock)));
    const same = ({ figure: { dataset } }) =>
      dataset.clock === clock && dataset.column === column && dataset.key === key;
    new Levels(place, days.get(clock), clockOf(clock), figures.find(same));
  }
  for (const table of document.querySelectorAll('#changes')) makeFilters(table);
  for (const article of document.querySelectorAll('#when article')) tellMarks(article);
  matchMedia('(prefers-color-scheme: dark)').addEventListener('change', () => {
    for (const zoomed of figures) zoomed.chart.updateOptions(zoomed.inks());
  });
})();
