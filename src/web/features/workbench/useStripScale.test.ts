import { describe, expect, it } from '@jest/globals';
import { nextTick, ref } from 'vue';
import { useStripScale } from './useStripScale.ts';

/** A strip of 100 frames from 50 on. Without a page it is as narrow as it may be: 10 px from `left` on. */
function strip() {
  const box = ref({ getBoundingClientRect: () => ({ left: 100 }) } as HTMLElement);
  const range = ref({ first: 50, count: 100 });
  const scale = useStripScale(box, range, 20);
  const event = (more: object): WheelEvent =>
    ({ clientX: 120, deltaX: 0, deltaY: 0, shiftKey: false, ...more }) as WheelEvent;
  const domain = (): number[] => scale.x.value.domain();
  return { scale, range, event, domain };
}

describe('frames across the strip', () => {
  it('are all there at first, and each lies under its place', () => {
    const { scale, event, domain } = strip();
    expect([domain(), scale.x.value(50), scale.column.value]).toEqual([[50, 150], 20, expect.closeTo(0.1, 6)]);
    expect([120, 125, 129.99].map((clientX) => scale.frameAt(event({ clientX })))).toEqual([50, 100, 149]);
  });

  it('are numbered as far as they go: the end of the last one is no frame', () => {
    expect(strip().scale.ticks.value).toEqual([50, 100]);
  });

  it('end at the range, wherever the pointer is', () => {
    const { scale, event } = strip();
    expect([0, 500].map((clientX) => scale.frameAt(event({ clientX })))).toEqual([50, 149]);
  });

  it('come nearer under the wheel around the frame under the pointer, down to twelve', () => {
    const { scale, event, domain } = strip();
    scale.wheel(event({ clientX: 125, deltaY: -200 }));
    const [from, to] = domain();
    expect([(from + to) / 2, (to - from) / 100]).toEqual([expect.closeTo(100, 6), expect.closeTo(Math.exp(-0.5), 6)]);
    for (let k = 0; k < 20; k++) scale.wheel(event({ clientX: 125, deltaY: -200 }));
    expect(domain()[1] - domain()[0]).toBeCloseTo(12, 6);
  });

  it('go along with Shift, no farther than the range', () => {
    const { scale, event, domain } = strip();
    scale.wheel(event({ clientX: 125, deltaY: -200 }));
    const width = domain()[1] - domain()[0];
    scale.wheel(event({ deltaY: -6000, shiftKey: true }));
    expect(domain()).toEqual([expect.closeTo(50, 6), expect.closeTo(50 + width, 6)]);
    scale.wheel(event({ deltaX: 6000 }));
    expect(domain()).toEqual([expect.closeTo(150 - width, 6), expect.closeTo(150, 6)]);
  });

  it('are all there again when the wheel goes back, and when the range changes', async () => {
    const { scale, event, range, domain } = strip();
    scale.wheel(event({ clientX: 125, deltaY: -400 }));
    scale.wheel(event({ clientX: 125, deltaY: 4000 }));
    expect(domain()).toEqual([50, 150]);
    scale.wheel(event({ clientX: 125, deltaY: -400 }));
    range.value = { first: 0, count: 30 };
    await nextTick();
    expect(domain()).toEqual([0, 30]);
  });
});
