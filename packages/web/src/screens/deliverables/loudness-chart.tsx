import {
  CategoryScale,
  Chart,
  LinearScale,
  LineController,
  LineElement,
  PointElement,
  Tooltip,
} from 'chart.js';
import { Line } from 'react-chartjs-2';
import type { LoudnessOverTime } from '@mivvy/core';
import { darkDesk, lightDesk } from '../../theme/tokens.ts';
import { useDeskColour } from '../../theme/use-desk-colour.ts';
import styles from './loudness-chart.module.css';

Chart.register(CategoryScale, LinearScale, LineController, LineElement, PointElement, Tooltip);

/** The quietest that the chart goes down to, LUFS. */
const quietest = -50;

/** Momentary and short-term loudness in each second of a finished file, and the second with its highest true peak. */
export function LoudnessChart({ over }: { over: LoudnessOverTime }) {
  const { desk } = useDeskColour();
  const inks = desk === 'dark' ? darkDesk : lightDesk;
  const peak = over.peakSeconds === null ? -1 : Math.floor(over.peakSeconds);
  const inView = (values: readonly (number | null)[]) =>
    values.map((lufs) => (lufs === null ? null : Math.max(quietest, lufs)));
  const ticks = { color: inks.ink2, font: { size: 10 } };
  return (
    <div className={styles.chart}>
      <Line
        aria-label="Loudness over time"
        data={{
          labels: over.momentary.map((_, i) => `${i}`),
          datasets: [
            {
              label: 'momentary',
              data: inView(over.momentary),
              borderColor: inks.ink2,
              borderWidth: 1,
              pointRadius: over.momentary.map((_, i) => (i === peak ? 4 : 0)),
              pointBackgroundColor: inks.brick,
              pointStyle: 'triangle',
            },
            {
              label: 'short-term',
              data: inView(over.shortTerm),
              borderColor: inks.teal,
              borderWidth: 2,
              pointRadius: 0,
            },
          ],
        }}
        options={{
          responsive: true,
          maintainAspectRatio: false,
          animation: false,
          spanGaps: false,
          plugins: {
            tooltip: {
              callbacks: {
                title: ([item]) =>
                  `second ${item?.label}${item?.dataIndex === peak ? ', with the highest true peak' : ''}`,
                label: (item) => `${item.dataset.label}: ${item.formattedValue} LUFS`,
              },
            },
          },
          scales: {
            x: {
              grid: { display: false },
              ticks: { ...ticks, maxTicksLimit: 8 },
              border: { color: inks.rule },
            },
            y: {
              min: quietest,
              max: 0,
              grid: { color: inks.rule },
              ticks: { ...ticks, maxTicksLimit: 4 },
              border: { display: false },
            },
          },
        }}
      />
    </div>
  );
}
