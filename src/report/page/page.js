'use strict';
// The whole page comes from one JSON value. Text of scenes is only ever set as text.
const data = JSON.parse(document.getElementById('data').textContent);
const byId = (id) => document.getElementById(id);
const main = document.querySelector('main');

const make = (tag, options = {}, ...children) => {
  const element = document.createElement(tag);
  for (const [name, value] of Object.entries(options)) {
    if (name === 'text') element.textContent = value;
    else if (name === 'class') element.className = value;
    else element.setAttribute(name, value);
  }
  element.append(...children);
  return element;
};

const digits = new Intl.NumberFormat('en-US', {maximumFractionDigits: 2});
const whole = (value) => digits.format(value);
const size = (bytes) => {
  const units = ['B', 'KiB', 'MiB', 'GiB'];
  let unit = 0;
  while (bytes >= 1024 && unit < 3) { bytes /= 1024; ++unit; }
  return `${bytes.toFixed(unit ? 1 : 0)} ${units[unit]}`;
};
const factor = (before, after) => {
  if (before === after) return 'the same';
  if (!before || !after) return '';
  const ratio = Math.max(before, after) / Math.min(before, after);
  const way = after < before ? 'less' : 'more';
  return ratio < 1.01 ? `${(100 * (ratio - 1)).toPrecision(1)} % ${way}`
                      : `${ratio.toFixed(ratio < 2 ? 2 : 1)}\u00d7 ${way}`;
};
const css = (name) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();

// ---- Light and dark --------------------------------------------------------------------------
const charts = [];
const setTheme = (dark) => {
  document.documentElement.dataset.theme = dark ? 'dark' : 'light';
  byId('theme').textContent = dark ? 'Light' : 'Dark';
  for (const chart of charts) chart.redraw();
};
byId('theme').addEventListener('click', () =>
  setTheme(document.documentElement.dataset.theme !== 'dark'));
setTheme(matchMedia('(prefers-color-scheme: dark)').matches);
addEventListener('beforeprint', () => setTheme(false));

// ---- At a glance -----------------------------------------------------------------------------
byId('scene').textContent = data.name;
document.title = `${data.name}: ${whole(data.before.draws)} to ${whole(data.after.draws)} draws`;
const verdict = byId('verdict');
verdict.textContent = data.verdict.passed ? 'Proof passed' : 'Proof failed';
verdict.classList.toggle('failed', !data.verdict.passed);
byId('headline').append(`${whole(data.before.draws)} \u2192 `,
  make('b', {text: whole(data.after.draws)}), make('small', {text: ' draws'}));
const times = data.before.draws / Math.max(1, data.after.draws);
byId('saving').textContent =
  `${times.toFixed(times < 10 ? 1 : 0)} times fewer in the file. ${data.verdict.summary}`;
const figures = byId('figures');
for (const [name, before, after, format, lessIsGood] of data.figures) {
  const show = format === 'bytes' ? size : whole;
  figures.append(make('dt', {text: name}),
    make('dd', {class: 'values', text: `${show(before)} \u2192 ${show(after)}`}),
    make('dd', {class: 'change' + (lessIsGood && after > before ? ' worse' : ''),
                text: factor(before, after)}));
}
for (const line of data.verdict.trouble) byId('trouble').append(make('li', {text: line}));
for (const line of data.verdict.mended) {
  byId('trouble').append(make('li', {class: 'note', text: `Taken back: ${line}`}));
}
for (const line of data.verdict.not_checked) {
  byId('trouble').append(make('li', {class: 'note', text: `Not checked: ${line}`}));
}

// ---- Views -----------------------------------------------------------------------------------
const modes = [['shaded', 'shaded'], ['draws', 'a colour a draw'], ['heat', 'differences']];
if (data.views.some((view) => view.wires_before_picture)) modes.push(['wires', 'triangles']);
const stage = {view: 0, mode: 'shaded'};
const pictureOf = (view, when) =>
  stage.mode === 'draws' ? view[`draws_${when}_picture`]
    : stage.mode === 'wires' ? view[`wires_${when}_picture`] : view[`shaded_${when}`];
const showView = () => {
  const view = data.views[stage.view];
  const heat = stage.mode === 'heat';
  byId('pair').classList.toggle('single', heat);
  byId('under').src = heat ? view.heat : pictureOf(view, 'before');
  byId('under').alt = heat ? `differences in ${view.name}` : `${view.name} before`;
  if (!heat) byId('over').src = pictureOf(view, 'after');
  byId('over').alt = `${view.name} after`;
  const counted = (when) => stage.mode === 'wires'
    ? `${whole(view[`triangles_${when}`])} triangles` : `${whole(view[`draws_${when}`])} draws`;
  byId('tag-left').textContent = `before: ${counted('before')}`;
  byId('tag-right').textContent = `after: ${counted('after')}`;
  const caption = byId('caption');
  caption.replaceChildren(make('b', {text: view.passed ? 'passes' : 'differs'}),
    `: ${whole(view.differing)} of ${whole(view.width * view.height)} pixels beyond the tolerance, ` +
    `${view.psnr.toFixed(1)} dB, likeness ${view.likeness.toFixed(4)}; ` +
    `${whole(view.draws_before)} \u2192 ${whole(view.draws_after)} draws, ` +
    `${view.submit_before.toFixed(2)} \u2192 ${view.submit_after.toFixed(2)} ms to submit` +
    (heat ? '. Grey: equal. Red to white: beyond the tolerance. Blue: an edge or two surfaces in one place, rounding decides. Violet: an edge of a reduced mesh, no farther off than that lies.' : ''));
};
const slide = () => {
  const at = byId('slide').value;
  byId('over').style.clipPath = `inset(0 0 0 ${at}%)`;
  byId('edge').style.left = `${at}%`;
};
if (data.views.length > 0) {
  byId('stage').hidden = false;
  data.views.forEach((view, i) => byId('view').append(make('option',
    {value: i, text: `${view.passed ? '' : 'DIFFERS: '}${view.name}`})));
  byId('view').addEventListener('change', (event) => {
    stage.view = Number(event.target.value);
    showView();
  });
  for (const [mode, name] of modes) {
    const radio = make('input', {type: 'radio', name: 'mode', value: mode});
    radio.checked = mode === stage.mode;
    radio.addEventListener('change', () => { stage.mode = mode; showView(); });
    byId('modes').append(make('label', {}, radio, name));
  }
  byId('slide').addEventListener('input', slide);
  showView();
  slide();
}

// ---- Sections --------------------------------------------------------------------------------
const addSection = (id, title, about, long) => {
  const section = make('section', {class: 'part' + (long ? ' long' : ''), id},
    make('h2', {text: title}), make('p', {class: 'about', text: about}));
  main.append(section);
  byId('sections').append(make('a', {href: `#${id}`, text: title}));
  return section;
};

const addChart = (parent, title, describe) => {
  const canvas = make('canvas', {role: 'img', 'aria-label': title});
  parent.append(make('div', {}, make('h3', {text: title}), make('div', {class: 'chart'}, canvas)));
  let drawn = null;
  const redraw = () => {
    drawn?.destroy();
    Chart.defaults.color = css('--soft');
    Chart.defaults.borderColor = css('--line');
    Chart.defaults.font.family = getComputedStyle(document.body).fontFamily;
    drawn = new Chart(canvas, describe());
  };
  charts.push({redraw});
  redraw();
};
const bars = (labels, sets, options = {}) => ({
  type: 'bar',
  data: {labels, datasets: sets.map(([label, values, color]) =>
    ({label, data: values, backgroundColor: css(color), borderRadius: 2, maxBarThickness: 22}))},
  options: {animation: false, responsive: true, maintainAspectRatio: false, indexAxis: options.axis ?? 'x',
    plugins: {legend: {display: sets.length > 1}},
    scales: {[options.axis === 'y' ? 'x' : 'y']: {beginAtZero: true, title: {display: true, text: options.unit ?? ''}},
             [options.axis === 'y' ? 'y' : 'x']: {ticks: {autoSkip: false, maxRotation: 60}, grid: {display: false}}}},
});
const cut = (text, most) => text.length > most ? `${text.slice(0, most - 1)}\u2026` : text;

const numeric = (kind) => ['number', 'bytes', 'fine', 'short', 'pair'].includes(kind);

/// A table of plain values: columns are [title, kind]. Kinds: word, text and long (more room) for
/// texts; number, fine (four digits), short (two), bytes, pair (before and after); mark (passes or not).
const addTable = (parent, columns, rows, options = {}) => {
  const step = options.step ?? 50;
  const state = {sort: options.sort ?? -1, down: options.down ?? false, search: '', most: step};
  const texts = rows.map((row) => row.filter((cell) => typeof cell === 'string').join('\n').toLowerCase());
  const count = make('span', {class: 'count', 'aria-live': 'polite'});
  if (options.search) {
    const input = make('input', {type: 'search', placeholder: options.search, 'aria-label': options.search});
    input.addEventListener('input', () => {
      state.search = input.value.trim().toLowerCase();
      state.most = step;
      fill();
    });
    parent.append(make('div', {class: 'tools'}, input, count));
  }
  const head = make('tr');
  const body = make('tbody');
  columns.forEach(([title, kind], c) => {
    const button = make('button', {type: 'button', text: title});
    button.addEventListener('click', () => {
      state.down = state.sort === c ? !state.down : numeric(kind);
      state.sort = c;
      fill();
    });
    head.append(make('th', {class: numeric(kind) ? 'number' : kind, scope: 'col'}, button));
  });
  const more = make('button', {type: 'button', class: 'more'});
  more.addEventListener('click', () => { state.most += step * 4; fill(); });
  parent.append(make('div', {class: 'scroll'}, make('table', {}, make('thead', {}, head), body)), more);
  const show = (value, kind) => {
    if (value === null) return '';
    if (kind === 'pair') return `${whole(value[0])} \u2192 ${whole(value[1])}`;
    if (kind === 'bytes') return size(value);
    if (kind === 'fine') return value.toFixed(4);
    if (kind === 'short') return value.toFixed(2);
    return typeof value === 'number' ? whole(value) : value;
  };
  const rank = (value) => Array.isArray(value) ? value[0] : value;
  const fill = () => {
    let order = rows.map((_, r) => r);
    if (state.search) order = order.filter((r) => texts[r].includes(state.search));
    if (state.sort >= 0) {
      const at = state.sort;
      const by = (a, b) => typeof a === 'number' && typeof b === 'number' ? a - b : String(a ?? '').localeCompare(String(b ?? ''));
      order.sort((a, b) => (state.down ? -1 : 1) * by(rank(rows[a][at]), rank(rows[b][at])) || a - b);
    }
    body.replaceChildren(...order.slice(0, state.most).map((r) => make('tr', {}, ...rows[r].map((value, c) => {
      const kind = columns[c][1];
      const mark = kind === 'mark' ? (value === 'passes' ? ' good' : ' bad') : '';
      return make('td', {class: (numeric(kind) ? 'number' : kind) + mark, text: show(value, kind)});
    }))));
    [...head.children].forEach((cell, c) => {
      if (c === state.sort) cell.setAttribute('aria-sort', state.down ? 'descending' : 'ascending');
      else cell.removeAttribute('aria-sort');
    });
    count.textContent = order.length === rows.length ? `${whole(rows.length)} rows` : `${whole(order.length)} of ${whole(rows.length)} rows`;
    more.hidden = order.length <= state.most;
    more.textContent = `Show more (${whole(order.length - Math.min(order.length, state.most))} left)`;
  };
  fill();
};

{
  const section = addSection('cost', 'Draws and time',
    'What each step could save at best, and what the views submit before and after. Milliseconds per frame are estimated by the cost profile; those to submit were measured.');
  const grid = make('div', {class: 'charts'});
  section.append(grid);
  addChart(grid, 'The ladder: the fewest draws after each step', () => bars(data.ladder.map(([name, draws]) => `${name}: ${whole(draws)}`),
    [['draws in the file', data.ladder.map(([, draws]) => draws), '--before'],
     ['in the usual view', data.ladder.map(([, , median]) => median), '--after']], {axis: 'y', unit: 'draws'}));
  if (data.views.length > 0) {
    const names = data.views.map((view) => cut(view.name, 22));
    addChart(grid, 'Draws in each view', () => bars(names,
      [['before', data.views.map((v) => v.draws_before), '--before'], ['after', data.views.map((v) => v.draws_after), '--after']], {unit: 'draws'}));
    addChart(grid, 'Milliseconds a frame, all passes, estimated', () => bars(names,
      [['before', data.views.map((v) => v.frame_before), '--before'], ['after', data.views.map((v) => v.frame_after), '--after']], {unit: 'ms'}));
    addChart(grid, 'Milliseconds of CPU to submit the main pass, measured', () => bars(names,
      [['before', data.views.map((v) => v.submit_before), '--before'], ['after', data.views.map((v) => v.submit_after), '--after']], {unit: 'ms'}));
  }
}
if (data.view_rows.length > 0) {
  addTable(addSection('views', 'Views', `Drawn before and after by ${data.verdict.drawn_by}, every pixel compared; passes are counted by the profile.`),
    data.view_columns, data.view_rows);
}
if (data.poses.length > 0) {
  const section = addSection('motion', 'In motion',
    `What is deformed, compared in ${whole(data.poses_compared)} poses: ${whole(data.places_in_motion)} places, ` +
    `none farther off than ${data.motion_error_m.toPrecision(2)} m. These poses were drawn, too.`);
  const before = make('img', {alt: ''});
  const after = make('img', {alt: ''});
  const name = make('span', {class: 'caption'});
  const slide = make('input', {type: 'range', min: 0, max: data.poses.length - 1, value: 0, step: 1,
                               'aria-label': 'Which pose is shown'});
  const play = make('button', {type: 'button', text: 'Play'});
  const showPose = () => {
    const pose = data.poses[slide.value];
    before.src = pose.before;
    after.src = pose.after;
    before.alt = `${pose.name} before`;
    after.alt = `${pose.name} after`;
    name.replaceChildren(make('b', {text: pose.name}),
      ` ${pose.passed ? 'passes' : 'DIFFERS'}: ${whole(pose.differing)} pixels beyond the tolerance, ` +
      `${pose.psnr.toFixed(1)} dB, ${whole(pose.draws_before)} \u2192 ${whole(pose.draws_after)} draws`);
  };
  let timer = 0;
  const stop = () => {
    clearInterval(timer);
    timer = 0;
    play.textContent = 'Play';
  };
  play.addEventListener('click', () => {
    if (timer) return stop();
    play.textContent = 'Stop';
    timer = setInterval(() => {
      slide.value = (Number(slide.value) + 1) % data.poses.length;
      showPose();
    }, 350);
  });
  slide.addEventListener('input', () => { stop(); showPose(); });
  section.append(make('div', {class: 'controls'}, play, slide, name),
    make('div', {class: 'poses'}, make('figure', {}, before, make('figcaption', {text: 'before'})),
                                  make('figure', {}, after, make('figcaption', {text: 'after'}))));
  showPose();
}
addTable(addSection('groups', 'Groups', 'What became one draw or one instance set, and why.', true),
  [['group', 'text'], ['kind', 'word'], ['material', 'text'], ['draws', 'number'], ['triangles', 'number'], ['bytes', 'bytes'],
   ['\u00b5s saved', 'number'], ['wrong px', 'number'], ['why', 'long']], data.groups, {search: 'Search groups', sort: 3, down: true});
if (data.kept.length > 0) {
  addTable(addSection('kept', 'Kept', 'Draws that stay as they are, and why.'), [['draws', 'number'], ['why', 'text'], ['for example', 'text']], data.kept);
}
if (data.materials.length > 0) {
  const section = addSection('materials', 'Materials', 'How each material reaches one that it shares with others; texels per metre before and after.', true);
  addTable(section, [['material', 'text'], ['route', 'word'], ['draws', 'number'], ['texels/m', 'number'], ['after', 'number'], ['goes to', 'text'], ['why', 'long']],
    data.materials, {search: 'Search materials'});
  const pages = make('div', {class: 'pages'});
  for (const page of data.pages) {
    pages.append(make('figure', {}, make('img', {src: page.picture, alt: `tiles of ${page.name}`}),
      make('figcaption', {text: `${page.name}: ${page.about}`})));
  }
  section.append(pages);
}
// Pages as they were, side by side, and what they became; the same rectangle has the same colour.
const drawSvg = (tag, attributes, ...children) => {
  const element = document.createElementNS('http://www.w3.org/2000/svg', tag);
  for (const [name, value] of Object.entries(attributes)) element.setAttribute(name, value);
  element.append(...children);
  return element;
};
const layPages = (pages) => {
  const columns = Math.ceil(Math.sqrt(pages.length));
  const across = Math.max(...pages.map(([, width]) => width));
  const down = Math.max(...pages.map(([, , height]) => height));
  const gap = Math.max(across, down) / 10;
  const places = pages.map((_, i) => [(i % columns) * (across + gap), Math.floor(i / columns) * (down + gap) + gap]);
  const width = columns * (across + gap) - gap;
  const height = Math.ceil(pages.length / columns) * (down + gap);
  const font = Math.min(0.02 * Math.max(width, height), 0.7 * gap);
  const svg = drawSvg('svg', {viewBox: `0 0 ${width} ${height}`, role: 'img', preserveAspectRatio: 'xMinYMin'});
  pages.forEach(([name, pageWidth, pageHeight, picture], i) => {
    const [x, y] = places[i];
    svg.append(drawSvg('rect', {x, y, width: pageWidth, height: pageHeight, class: 'sheet'}));
    if (picture) svg.append(drawSvg('image', {x, y, width: pageWidth, height: pageHeight, href: picture, preserveAspectRatio: 'none'}));
    svg.append(drawSvg('text', {x, y: y - gap * 0.2, 'font-size': font}, name));
  });
  return {svg, places};
};
const mostRects = 4000;
const showLightmaps = (section, {pages, joined, moves, left}) => {
  const before = layPages(pages);
  const after = layPages(joined);
  moves.slice(0, mostRects).forEach(([from, x, y, width, height, to, newX, newY, draws]) => {
    const color = `hsl(${(from * 137.5) % 360} 85% 55%)`;
    const [, pageWidth, pageHeight] = pages[from];
    const words = `page ${pages[from][0]} at ${x}, ${y} \u2192 page ${joined[to][0]} at ${newX}, ${newY}: ` +
      `${width} \u00d7 ${height} texels, ${whole(draws)} ${draws === 1 ? 'draw' : 'draws'}`;
    const box = (places, place, left, top, right, bottom) => drawSvg('rect', {x: places[place][0] + left, y: places[place][1] + top,
      width: right - left, height: bottom - top, class: 'moved', stroke: color, fill: color}, drawSvg('title', {}, words));
    // Beyond a page its edge goes on: that is shown where it went to.
    const pair = [box(before.places, from, Math.max(0, x), Math.max(0, y), Math.min(pageWidth, x + width), Math.min(pageHeight, y + height)),
      box(after.places, to, newX, newY, newX + width, newY + height)];
    before.svg.append(pair[0]);
    after.svg.append(pair[1]);
    for (const one of pair) {
      one.addEventListener('pointerenter', () => pair.forEach((rect) => rect.classList.add('on')));
      one.addEventListener('pointerleave', () => pair.forEach((rect) => rect.classList.remove('on')));
    }
  });
  before.svg.setAttribute('aria-label', 'lightmap pages before');
  after.svg.setAttribute('aria-label', 'lightmap pages after');
  section.append(make('div', {class: 'lightmaps'},
    make('figure', {}, make('figcaption', {text: `before: ${whole(pages.length)} ${pages.length === 1 ? 'page' : 'pages'}`}), before.svg),
    make('figure', {}, make('figcaption', {text: `after: ${whole(joined.length)} ${joined.length === 1 ? 'page' : 'pages'}`}), after.svg)));
  if (moves.length > mostRects) left = [`the first ${whole(mostRects)} of ${whole(moves.length)} rectangles are outlined`, ...left];
  if (left.length > 0) section.append(make('ul', {class: 'left'}, ...left.map((text) => make('li', {text}))));
};
if (data.reductions) {
  addTable(addSection('reductions', 'Triangles', 'Meshes with fewer triangles than they had, and how far they lie off: millimetres, pixels of the view that shows them largest, degrees, UVs.', true),
    [['mesh', 'text'], ['shown', 'number'], ['triangles', 'pair'], ['farthest, mm', 'short'], ['px', 'short'], ['mean, mm', 'short'], ['turned, \u00b0', 'short'], ['texture', 'fine']], data.reductions, {search: 'Find a mesh', sort: 4, down: true});
}
if (data.lightmaps.moves.length > 0) {
  showLightmaps(addSection('lightmaps', 'Lightmaps', 'Which part of each page went where; no texel changed. Point at a rectangle to see where it was and where it is.', true),
    data.lightmaps);
}
if (data.findings.length > 0) {
  addTable(addSection('findings', 'Findings', 'What the survey noticed in the source, the serious first.', true),
    [['severity', 'word'], ['code', 'text'], ['about', 'text'], ['what', 'long'], ['what to do', 'text'], ['draws', 'number'], ['bytes', 'bytes']],
    data.findings, {search: 'Search findings', step: 20});
}
if (data.budgets.length > 0) {
  addTable(addSection('budgets', 'Budgets', 'The result against the limits of the settings.'),
    [['tier', 'text'], ['figure', 'text'], ['value', 'number'], ['limit', 'number'], ['', 'mark']], data.budgets);
}
{
  const grid = make('div', {class: 'charts'});
  addSection('timings', 'Timings', 'Where the time of this run went.').append(grid);
  addChart(grid, 'Seconds of each step', () => bars(data.timings.map(([step, seconds]) => `${step}: ${seconds.toFixed(2)}`),
    [['seconds', data.timings.map(([, seconds]) => seconds), '--after']], {axis: 'y', unit: 's'}));
}
main.append(make('footer', {text: `Made by Wakuzume ${data.version}. Everything on this page is in this one file.`}));
