import { useEffect, useRef } from 'react';
import uPlot from 'uplot';

/** One row of counts of a chart, by day. */
export interface Series {
  readonly name: string;
  readonly counts: readonly number[];
  /** Whether its bars stand on their head, so that two series are told apart without color. */
  readonly isDown?: boolean;
}

const shortDay = (day: string) =>
  new Date(`${day}T12:00Z`).toLocaleDateString('en-GB', { day: 'numeric', month: 'short', timeZone: 'UTC' });

/** Counts by day as bars; whoever cannot see them reads the table that stands behind. */
export function DayChart({
  title,
  days,
  series,
}: {
  readonly title: string;
  readonly days: readonly string[];
  readonly series: readonly Series[];
}) {
  const place = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const holder = place.current;
    if (holder === null || days.length === 0) return undefined;
    let chart: uPlot | undefined;
    const bars = uPlot.paths.bars?.({ size: [0.7, 18] });
    const draw = () => {
      chart?.destroy();
      const look = getComputedStyle(holder);
      const color = (name: string) => look.getPropertyValue(name).trim();
      const [ink, line, up, down] = [color('--soft'), color('--line'), color('--open'), color('--closed')];
      const font = `15px ${look.getPropertyValue('--work')}`;
      const most = Math.max(1, ...series.flatMap(({ counts }) => counts));
      const hasDown = series.some(({ isDown, counts }) => isDown === true && counts.some((count) => count > 0));
      const whole = (splits: number[]) => splits.map((one) => (Number.isInteger(one) ? String(Math.abs(one)) : ''));
      chart = new uPlot(
        {
          width: Math.max(240, holder.clientWidth),
          height: 150,
          cursor: { show: false },
          legend: { show: false },
          scales: {
            x: { time: false, range: [-0.6, days.length - 0.4] },
            y: { range: [hasDown ? -most * 1.08 : 0, most * 1.08] },
          },
          axes: [
            {
              stroke: ink,
              font,
              size: 30,
              grid: { show: false },
              ticks: { show: false },
              splits: () => days.flatMap((_, at) => ((days.length - 1 - at) % 7 === 0 ? [at] : [])),
              values: (_, splits) => splits.map((at) => shortDay(days[at] ?? '')),
            },
            {
              stroke: ink,
              font,
              size: 46,
              grid: { stroke: line, width: 1 },
              ticks: { show: false },
              values: (_, splits) => whole(splits),
            },
          ],
          series: [
            {},
            ...series.map(({ isDown }) => ({
              stroke: isDown === true ? down : up,
              width: 1.5,
              ...(isDown !== true && { fill: up }),
              ...(bars && { paths: bars }),
              points: { show: false },
            })),
          ],
        },
        [
          days.map((_, at) => at),
          ...series.map(({ counts, isDown }) =>
            counts.map((count) => (count === 0 ? null : isDown === true ? -count : count)),
          ),
        ],
        holder,
      );
    };
    draw();
    const scheme = window.matchMedia('(prefers-color-scheme: dark)');
    scheme.addEventListener('change', draw);
    const observer = new ResizeObserver(() =>
      chart?.setSize({ width: Math.max(240, holder.clientWidth), height: 150 }),
    );
    observer.observe(holder);
    return () => {
      scheme.removeEventListener('change', draw);
      observer.disconnect();
      chart?.destroy();
    };
  }, [days, series]);
  const used = days.flatMap((day, at) => (series.some(({ counts }) => (counts[at] ?? 0) > 0) ? [{ day, at }] : []));
  return (
    <figure className="chart">
      <div ref={place} role="img" aria-label={`${title}, by day; the numbers stand in the table below`} />
      <details>
        <summary>As a table</summary>
        <table>
          <caption className="unseen">{title}</caption>
          <thead>
            <tr>
              <th scope="col">Day</th>
              {series.map(({ name }) => (
                <th scope="col" key={name}>
                  {name}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {used.map(({ day, at }) => (
              <tr key={day}>
                <th scope="row">{shortDay(day)}</th>
                {series.map(({ name, counts }) => (
                  <td key={name}>{counts[at]}</td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
        {used.length === 0 && <p className="hint">Nothing on any of these days.</p>}
      </details>
    </figure>
  );
}
