// Pages as their reader meets them: in a browser, by mouse, by touch, by keys, and without scripts.
import assert from 'node:assert/strict';
import { execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { mkdtempSync, readFileSync, rmSync, statSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { after, before, test } from 'node:test';
import puppeteer from 'puppeteer-core';
import * as data from './data.mjs';

const folder = mkdtempSync(join(tmpdir(), 'pages-'));
const at = (name) => join(folder, name);
let browser;

function zerobeat(...options) {
  execFileSync(process.env.ZEROBEAT, options, { cwd: folder, stdio: ['ignore', 'ignore', 'pipe'] });
}

before(async () => {
  data.writeTide(at('tide.csv'));
  data.writeStore(at('store.csv'));
  data.writeMany(at('many.csv'));
  const zone = ['--zone', 'Europe/Dublin'];
  zerobeat('report', 'tide.csv', '--tolerate', '9', ...zone, '-o', 'tide.html');
  zerobeat('report', 'store.csv', '--key', 'probe', '-o', 'store.html');
  zerobeat('report', 'many.csv', '--key', 'probe', '--tolerate', '10%', '-o', 'many.html');
  zerobeat(
    ...['clip', 'store.csv', '--key', 'probe', '--on', 'temperature_c', '--bounds=-18.5,'],
    ...['+', 'fill', '--on', 'temperature_c', '-o', 'out.csv', '--report', 'chain.html'],
  );
  browser = await puppeteer.launch({
    args: ['--no-sandbox', '--disable-gpu'],
    executablePath: '/usr/bin/chromium',
    headless: true,
  });
});

after(async () => {
  await browser?.close();
  rmSync(folder, { recursive: true });
});

// Opens a page; what it says of itself that it should not is in `said`.
async function open(
  name,
  { width = 1280, height = 800, dark, touch = false, scripts = true } = {},
) {
  const page = await browser.newPage();
  page.said = [];
  page.on('console', (message) => page.said.push(message.text()));
  page.on('pageerror', (error) => page.said.push(error.message));
  page.on('dialog', (dialog) => page.said.push(dialog.message()) && dialog.dismiss());
  page.on('request', (request) => {
    if (!request.url().startsWith('file:')) page.said.push(request.url());
  });
  await page.setJavaScriptEnabled(scripts);
  await page.setViewport({ hasTouch: touch, height, isMobile: touch, width });
  if (dark !== undefined) {
    const value = dark ? 'dark' : 'light';
    await page.emulateMediaFeatures([{ name: 'prefers-color-scheme', value }]);
  }
  await page.goto(`file://${at(name)}`);
  return page;
}

const figureOf = (page) =>
  page.$eval('#columns figure', ({ dataset: { from, to, piece } }) => ({
    from: Date.parse(from),
    piece,
    to: Date.parse(to),
  }));

// The chart of the first column in the middle of the window.
async function chartOf(page) {
  await page.$eval('#columns figure', (figure) => figure.scrollIntoView({ block: 'center' }));
  const box = await (await page.$('#columns figure .chart')).boundingBox();
  return { ...box, left: box.x, right: box.x + box.width, middle: box.y + box.height / 2 };
}

async function drag(page, from, to) {
  const { middle } = await chartOf(page);
  await page.mouse.move(from, middle);
  await page.mouse.down();
  await page.mouse.move((from + to) / 2, middle, { steps: 3 });
  await page.mouse.move(to, middle);
  await page.mouse.up();
}

// Where on the screen a time is, while so much is shown.
async function placeOf(page, time) {
  const shown = await figureOf(page);
  const { left, right } = await chartOf(page);
  const labels = 66;
  const share = (time - shown.from) / (shown.to - shown.from);
  return left + labels + share * (right - left - labels);
}

test('a page opens without a word in the console and without a network', async () => {
  for (const name of ['tide.html', 'store.html', 'many.html', 'chain.html']) {
    const page = await open(name);
    assert.deepEqual(page.said, []);
    const ids = await page.$$eval('main > section', (sections) => sections.map(({ id }) => id));
    assert.deepEqual(ids, ['verdict', 'when', 'columns', 'drill', 'steps', 'origin']);
    await page.close();
  }
});

test('a page stays under three megabytes, whatever it is of', () => {
  for (const name of ['tide.html', 'many.html']) {
    assert.ok(statSync(at(name)).size < 3_000_000, `${name}: ${statSync(at(name)).size}`);
  }
});

test('the policy names the one script by its hash and allows nothing else', () => {
  const html = readFileSync(at('tide.html'), 'utf8');
  const scripts = [...html.matchAll(/<script[^>]*>([^]*?)<\/script>/g)];
  assert.equal(scripts.length, 1);
  const hash = createHash('sha256').update(scripts[0][1]).digest('base64');
  const policy = html.match(/Content-Security-Policy" content="([^"]*)"/)[1];
  assert.equal(
    policy,
    `default-src 'none'; style-src 'unsafe-inline'; script-src 'sha256-${hash}'`,
  );
  assert.match(scripts[0][1], /Permission is hereby granted, free of charge/);
});

test('the whole of a long column is shown in pieces; a drag zooms, a button goes back', async () => {
  const page = await open('tide.html');
  const whole = await figureOf(page);
  assert.equal(whole.from, data.start);
  assert.equal(whole.to, data.start + (data.rows - 1) * data.minute);
  assert.ok(Number(whole.piece) > 1000);
  const { left, right } = await chartOf(page);
  await drag(page, left + (right - left) * 0.4, left + (right - left) * 0.6);
  const zoomed = await figureOf(page);
  const share = (zoomed.to - zoomed.from) / (whole.to - whole.from);
  assert.ok(share > 0.19 && share < 0.23, String(share));
  assert.ok(zoomed.from > whole.from && zoomed.to < whole.to);
  await (await page.$('#columns figure .under button')).click();
  assert.deepEqual(await figureOf(page), whole);
  await page.close();
});

test('by a spike the page holds the readings themselves, elsewhere its finest pieces', async () => {
  const page = await open('tide.html');
  const time = data.start + data.spike.row * data.minute;
  for (let i = 0; i < 12 && (await figureOf(page)).piece !== 'readings'; ++i) {
    const place = await placeOf(page, time);
    await drag(page, place - 30, place + 30);
  }
  const shown = await figureOf(page);
  assert.equal(shown.piece, 'readings');
  assert.ok(shown.from < time && shown.to > time);
  const place = await placeOf(page, time);
  const { middle } = await chartOf(page);
  await page.mouse.move(place, middle);
  const told = await page.$eval('#columns figure output', (output) => output.textContent);
  // On the clocks of Dublin.
  assert.equal(told, `${data.timeOf(data.spike.row).replace('Z', '+00:00')}: ${data.spike.value}`);

  await page.keyboard.press('0');
  const quiet = await placeOf(page, data.start + 30_000 * data.minute);
  await drag(page, quiet - 4, quiet + 4);
  for (let i = 0; i < 9; ++i) await page.keyboard.press('+');
  const { piece } = await figureOf(page);
  const finest = ((data.rows - 1) * 60) / 4096;
  assert.ok(Math.abs(Number(piece) / finest - 1) < 1e-6, `${piece}, not ${finest}`);
  const caption = await page.$eval('#columns figcaption', (text) => text.textContent);
  assert.match(caption, /least, greatest and mean of pieces of 48.8 min/);
  await page.close();
});

test('a gap and a record at fault have their readings about them', async () => {
  const page = await open('tide.html');
  for (const row of [data.gap.from, 90_000]) {
    await page.focus('#columns figure');
    await page.keyboard.press('0');
    const time = data.start + row * data.minute;
    for (let i = 0; i < 12 && (await figureOf(page)).piece !== 'readings'; ++i) {
      const place = await placeOf(page, time);
      await drag(page, place - 40, place + 40);
    }
    const shown = await figureOf(page);
    assert.equal(shown.piece, 'readings');
    assert.ok(shown.from <= time && shown.to >= time - data.minute);
  }
  await page.close();
});

test('control and the wheel zoom about the pointer; the plain wheel scrolls the page', async () => {
  const page = await open('tide.html');
  const whole = await figureOf(page);
  const { left, right, middle } = await chartOf(page);
  await page.mouse.move(left + (right - left) * 0.75, middle);
  await page.keyboard.down('Control');
  await page.mouse.wheel({ deltaY: -100 });
  await page.keyboard.up('Control');
  await page.waitForFunction(
    (from) => Date.parse(document.querySelector('#columns figure').dataset.from) > from,
    {},
    whole.from,
  );
  const zoomed = await figureOf(page);
  // More was cut on the left, where there was more.
  assert.ok(zoomed.from - whole.from > 2 * (whole.to - zoomed.to));
  const y = await page.evaluate(() => scrollY);
  await page.mouse.wheel({ deltaY: 200 });
  await page.waitForFunction((from) => scrollY > from, {}, y);
  assert.deepEqual(await figureOf(page), zoomed);
  await page.close();
});

test('keys alone reach a figure, zoom it, move it and show the whole', async () => {
  const page = await open('tide.html');
  const whole = await figureOf(page);
  const isFigure = () => page.evaluate(() => document.activeElement.matches('#columns figure'));
  for (let i = 0; i < 200 && !(await isFigure()); ++i) await page.keyboard.press('Tab');
  assert.ok(await isFigure());
  await page.keyboard.press('+');
  const half = await figureOf(page);
  assert.ok(Math.abs((half.to - half.from) / (whole.to - whole.from) - 0.5) < 1e-6);
  await page.keyboard.press('ArrowRight');
  const right = await figureOf(page);
  assert.ok(Math.abs(right.from - half.from - (half.to - half.from) / 4) < 10);
  for (let i = 0; i < 9; ++i) await page.keyboard.press('ArrowRight');
  const end = await figureOf(page);
  assert.equal(end.to, whole.to);
  await page.keyboard.press('ArrowLeft');
  assert.ok((await figureOf(page)).to < whole.to);
  await page.keyboard.press('-');
  await page.keyboard.press('-');
  assert.deepEqual(await figureOf(page), whole);
  await page.keyboard.press('+');
  await page.keyboard.press('0');
  assert.deepEqual(await figureOf(page), whole);
  await page.close();
});

test('two fingers zoom, one moves', async () => {
  const page = await open('tide.html', { height: 800, touch: true, width: 390 });
  const whole = await figureOf(page);
  const { left, right, middle } = await chartOf(page);
  const center = (left + right) / 2;
  const touch = (type, xs) =>
    client.send('Input.dispatchTouchEvent', {
      touchPoints: xs.map((x, id) => ({ id, x, y: middle })),
      type,
    });
  const client = await page.createCDPSession();
  await touch('touchStart', [center - 20, center + 20]);
  for (const d of [30, 40, 50, 60, 80]) await touch('touchMove', [center - d, center + d]);
  await touch('touchEnd', []);
  const zoomed = await figureOf(page);
  const share = (zoomed.to - zoomed.from) / (whole.to - whole.from);
  assert.ok(share > 0.2 && share < 0.35, String(share));
  await touch('touchStart', [center]);
  for (const d of [10, 30, 50]) await touch('touchMove', [center - d]);
  await touch('touchEnd', []);
  const moved = await figureOf(page);
  assert.ok(moved.from > zoomed.from);
  assert.ok(Math.abs(moved.to - moved.from - (zoomed.to - zoomed.from)) < 5);
  await page.close();
});

const levelsOf = (page) =>
  page.$eval('#drill .levels', (levels) => ({
    bars: [...levels.querySelectorAll('button[data-from][data-to][data-value]')].map(
      ({ dataset: { from, to, value } }) => ({ from, to, value: Number(value) }),
    ),
    level: levels.dataset.level,
    mean: Number(levels.dataset.mean),
  }));

// The mean of the readings of [from, to), as a plain loop has it.
function meanOf(from, to) {
  let sum = 0;
  let count = 0;
  const first = Math.max(0, Math.ceil((Date.parse(from) - data.start) / data.minute));
  for (let row = first; row < data.rows; ++row) {
    if (data.start + row * data.minute >= Date.parse(to)) break;
    if (!data.isThere(row)) continue;
    sum += data.levelOf(row);
    ++count;
  }
  return sum / count;
}

const near = (a, b) => assert.ok(Math.abs(a - b) < 1e-9 * Math.max(1, Math.abs(b)), `${a}, ${b}`);

test('years open to quarters, months, days and hours, by the calendar of the zone', async () => {
  const page = await open('tide.html');
  const click = async (n) => {
    const buttons = await page.$$('#drill .levels button[data-value]');
    await buttons[n].evaluate((button) => button.click());
  };
  const expected = [
    ['year', ['2025-01-01T00:00:00Z', '2026-01-01T00:00:00Z'], 2, 0],
    ['quarter', ['2025-09-30T23:00:00Z', '2026-01-01T00:00:00Z'], 1, 0],
    ['month', ['2025-09-30T23:00:00Z', '2025-11-01T00:00:00Z'], 3, 0],
    // The day on which the clocks go back has 25 hours.
    ['day', ['2025-09-30T23:00:00Z', '2025-10-01T23:00:00Z'], 31, 25],
  ];
  let mean = meanOf(data.timeOf(0), data.timeOf(data.rows));
  for (const [level, [from, to], count, next] of expected) {
    const shown = await levelsOf(page);
    assert.equal(shown.level, level);
    assert.equal(shown.bars.length, count);
    assert.deepEqual([shown.bars[0].from, shown.bars[0].to], [from, to]);
    near(shown.mean, mean);
    for (const bar of shown.bars) near(bar.value, meanOf(bar.from, bar.to));
    mean = shown.bars[next].value;
    await click(next);
  }
  const hours = await levelsOf(page);
  assert.equal(hours.level, 'hour');
  assert.equal(hours.bars.length, 25);
  near(hours.mean, mean);
  assert.equal(hours.bars[0].from, '2025-10-25T23:00:00Z');
  assert.equal(hours.bars[24].to, '2025-10-27T00:00:00Z');
  for (const bar of hours.bars) near(bar.value, meanOf(bar.from, bar.to));
  const names = await page.$$eval('#drill .levels .name', (all) => all.map((x) => x.textContent));
  assert.deepEqual(names.slice(0, 4), ['00:00', '01:00', '01:00', '02:00']);
  // The finest bar is shown in its column's figure.
  await click(3);
  const figure = await figureOf(page);
  assert.equal(figure.from, Date.parse('2025-10-26T02:00:00Z'));
  assert.equal(figure.to, Date.parse('2025-10-26T03:00:00Z'));
  for (const level of ['day', 'month', 'quarter', 'year']) {
    await page.$eval('#drill [data-back]', (button) => button.click());
    assert.equal((await levelsOf(page)).level, level);
  }
  assert.ok(await page.$eval('#drill [data-back]', (button) => button.disabled));
  await page.close();
});

test('changes are filtered by column and strand', async () => {
  const page = await open('chain.html');
  const rows = () =>
    page.$$eval('#changes tbody tr', (all) =>
      all.filter((row) => !row.hidden).map((row) => [row.dataset.column, row.dataset.key]),
    );
  const all = await rows();
  assert.ok(all.length > 40);
  const options = await page.$$eval('select[name=Strand] option', (each) =>
    each.map((option) => option.textContent),
  );
  assert.deepEqual(options, ['all', ...data.badKeys]);
  await page.select('select[name=Strand]', data.badKeys[0]);
  const some = await rows();
  assert.ok(some.length > 0 && some.length < all.length);
  assert.ok(some.every(([, key]) => key === data.badKeys[0]));
  assert.equal(some.length, all.filter(([, key]) => key === data.badKeys[0]).length);
  await page.select('select[name=Strand]', '');
  assert.equal((await rows()).length, all.length);
  await page.close();
});

test('each step that changed something has a figure of it, and the ledger adds up', async () => {
  const page = await open('chain.html');
  const figures = await page.$$eval('#steps figure', (all) => all.map((x) => x.dataset.step));
  assert.deepEqual(figures, ['clip', 'fill']);
  const [rows, said] = await page.evaluate(() => [
    document.querySelectorAll('#changes tbody tr').length,
    [...document.querySelectorAll('#steps tr[data-step]')].reduce(
      (sum, { dataset }) => sum + Number(dataset.filled) + Number(dataset.clipped),
      0,
    ),
  ]);
  assert.equal(rows, said);
  const boxes = await page.$$eval('.flows g[data-flow]', (all) => all.map((x) => x.dataset.flow));
  assert.equal(boxes[0], 'store');
  assert.equal(boxes.length, 2);
  await page.close();
});

test('pointing at a mark, or walking to it, says line, bytes, raw text and what to do', async () => {
  const page = await open('tide.html');
  await page.$eval('#when rect.mark', (mark) => mark.focus());
  const told = await page.$eval('#when output', (output) => output.textContent);
  const text = readFileSync(at('tide.csv'), 'utf8');
  const byte = text.indexOf('soon');
  const line = text.slice(0, byte).split('\n').length;
  assert.equal(
    told,
    `unreadable-time in time at line ${line}, byte ${byte}, about 2025-12-02T12:00:00Z: soon,1.5\n` +
      'times that are not of the format; rejected; see --time-format',
  );
  const flags = await page.$$eval('#when path.flag', (all) => all.map((x) => x.dataset.kind));
  assert.ok(flags.includes('gap') && flags.includes('unreadable-time'), String(flags));
  await page.close();
});

test('what is data is text, whatever it holds', async () => {
  const page = await open('store.html');
  assert.deepEqual(page.said, []);
  const titles = await page.$$eval('#columns h3', (all) => all.map((x) => x.textContent));
  assert.deepEqual(
    titles,
    data.badKeys.map((key) => `temperature_c, ${key}`),
  );
  const keys = await page.$$eval('#when .strip[data-key]', (all) => all.map((x) => x.dataset.key));
  assert.deepEqual(keys, data.badKeys);
  await page.close();
});

test('of many strands 24 are drawn, and the others are told', async () => {
  const page = await open('many.html');
  assert.equal((await page.$$('#columns figure')).length, 24);
  assert.equal((await page.$$('#drill .levels')).length, 24);
  const rest = await page.$eval('#columns details summary', (text) => text.textContent);
  assert.match(rest, /^36 more/);
  assert.equal((await page.$$('#when .strip[data-key]')).length, 24);
  await page.close();
});

test('without scripts all can be read, and no control is seen', async () => {
  const page = await open('chain.html', { scripts: false });
  assert.equal((await page.$$('button, select, input')).length, 0);
  const client = await page.createCDPSession();
  const { root } = await client.send('DOM.getDocument', { depth: -1 });
  const count = async (selector) =>
    (await client.send('DOM.querySelectorAll', { nodeId: root.nodeId, selector })).nodeIds.length;
  assert.equal(await count('#columns figure > svg path'), await count('#columns figure svg path'));
  assert.ok((await count('#columns figure > svg')) >= 8);
  assert.ok((await count('#drill .levels > svg rect')) >= 8);
  for (const figure of await page.$$('#columns figure > svg')) {
    assert.ok((await figure.boundingBox()).height > 100);
  }
  await page.close();
});

test('on a narrow screen nothing stands beyond its side', async () => {
  for (const name of ['tide.html', 'many.html', 'chain.html']) {
    const page = await open(name, { height: 800, touch: true, width: 390 });
    const width = await page.evaluate(() => document.documentElement.scrollWidth);
    assert.equal(width, 390, name);
    await page.close();
  }
});

// The contrast of two colors, as WCAG 2.1 has it.
function contrast(a, b) {
  const luminance = (color) => {
    const [red, green, blue] = color.match(/\d+(\.\d+)?/g).map((x) => {
      const share = Number(x) / 255;
      return share <= 0.04045 ? share / 12.92 : ((share + 0.055) / 1.055) ** 2.4;
    });
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue;
  };
  const [high, low] = [luminance(a), luminance(b)].sort((x, y) => y - x);
  return (high + 0.05) / (low + 0.05);
}

test('light and dark follow the reader, and every text stands out', async () => {
  const grounds = [];
  for (const dark of [false, true]) {
    const page = await open('chain.html', { dark });
    const [ground, texts] = await page.evaluate(() => {
      const selectors = [
        'p',
        'th',
        'td',
        'dt',
        'dd',
        'h2',
        'figcaption',
        '.grade',
        '.soft',
        'button',
      ];
      const colors = selectors.map((selector) => {
        const found = document.querySelector(selector);
        return [selector, getComputedStyle(found).color];
      });
      return [getComputedStyle(document.body).backgroundColor, colors];
    });
    grounds.push(ground);
    for (const [selector, color] of texts) {
      assert.ok(contrast(color, ground) >= 4.5, `${selector}: ${color} on ${ground}`);
    }
    await page.close();
  }
  assert.ok(contrast(grounds[0], grounds[1]) > 10, String(grounds));
});

test('a page prints as it is read without scripts', async () => {
  const page = await open('tide.html');
  await page.emulateMediaType('print');
  const shown = (selector) =>
    page.$eval(selector, (found) => getComputedStyle(found).display !== 'none');
  assert.equal(await shown('#columns figure > svg'), true);
  assert.equal(await shown('#columns figure .chart'), false);
  assert.equal(await shown('#drill .levels > svg'), true);
  assert.equal(await shown('#drill .opened'), false);
  await page.close();
});
