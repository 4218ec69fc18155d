// The time strip: a stretch is drawn on it, and the frame is moved and stretched by its edges.
const svgName = 'http://www.w3.org/2000/svg';
const grip = 7;

export function iso(milliseconds) {
  return new Date(Math.round(milliseconds / 1000) * 1000).toISOString().replace('.000Z', 'Z');
}

export function setFocus(from, to) {
  const url = new URL(location.href);
  url.searchParams.set('from', iso(from));
  url.searchParams.set('to', iso(to));
  url.searchParams.delete('at');
  url.searchParams.delete('when');
  window.kumikoGo(url.pathname + url.search);
}

export function startStrips() {
  for (const svg of document.querySelectorAll('svg[data-strip]')) {
    if (svg.dataset.ready) continue;
    svg.dataset.ready = 'true';
    start(svg);
  }
}

function start(svg) {
  const box = svg.viewBox.baseVal;
  const from = +svg.dataset.from, to = +svg.dataset.to;
  const frame = svg.querySelector('.focus');
  const x = event => {
    const place = svg.getBoundingClientRect();
    return Math.max(0, Math.min(box.width, (event.clientX - place.left) / place.width * box.width));
  };
  const time = place => from + place / box.width * (to - from);
  const edges = () => frame ? [frame.x.baseVal.value, frame.x.baseVal.value + frame.width.baseVal.value] : [-100, -100];
  const part = place => {
    const [left, right] = edges();
    if (Math.abs(place - left) < grip) return 'left';
    if (Math.abs(place - right) < grip) return 'right';
    return place > left && place < right && right - left < box.width * 0.9 ? 'move' : 'draw';
  };

  svg.addEventListener('pointermove', event => {
    if (event.buttons) return;
    svg.dataset.part = part(x(event));
  });

  svg.addEventListener('pointerdown', event => {
    if (event.button !== 0) return;
    event.preventDefault();
    const begin = x(event);
    const [left, right] = edges();
    // With Shift a new stretch is drawn even inside the frame.
    const kind = event.shiftKey ? 'draw' : part(begin);
    const drawn = document.createElementNS(svgName, 'rect');
    drawn.setAttribute('class', 'focus drawing');
    drawn.setAttribute('y', frame?.getAttribute('y') ?? 17);
    drawn.setAttribute('height', frame?.getAttribute('height') ?? 86);
    svg.append(drawn);
    svg.setPointerCapture(event.pointerId);
    let now = [begin, begin];
    const move = e => {
      const at = x(e);
      if (kind === 'draw') now = [Math.min(begin, at), Math.max(begin, at)];
      else if (kind === 'left') now = [Math.min(at, right - 2), right];
      else if (kind === 'right') now = [left, Math.max(at, left + 2)];
      else {
        const by = Math.max(-left, Math.min(box.width - right, at - begin));
        now = [left + by, right + by];
      }
      drawn.setAttribute('x', now[0]);
      drawn.setAttribute('width', Math.max(0, now[1] - now[0]));
      frame?.classList.add('old');
    };
    const end = e => {
      svg.removeEventListener('pointermove', move);
      svg.removeEventListener('pointerup', end);
      svg.removeEventListener('pointercancel', end);
      drawn.remove();
      frame?.classList.remove('old');
      const moved = e.type === 'pointerup' && (kind === 'draw' ? now[1] - now[0] > 3 : Math.abs(x(e) - begin) > 2);
      if (moved) setFocus(time(now[0]), Math.max(time(now[1]), time(now[0]) + 1000));
    };
    svg.addEventListener('pointermove', move);
    svg.addEventListener('pointerup', end);
    svg.addEventListener('pointercancel', end);
  });
}
