import {
  BarController,
  BarElement,
  CategoryScale,
  Chart,
  LinearScale,
  LineController,
  LineElement,
  PointElement,
  Tooltip,
} from 'chart.js';
import { Chart as ChartView } from 'react-chartjs-2';
import { darkDesk, lightDesk } from '../../theme/tokens.ts';
import { useDeskColour } from '../../theme/use-desk-colour.ts';
import styles from './bitrate-chart.module.css';

Chart.register(
  BarController,
  LineController,
  BarElement,
  CategoryScale,
  LinearScale,
  LineElement,
  PointElement,
  Tooltip,
);

/** Bitrate in each second of a finished file, with what was aimed at and the place's ceiling. */
export function BitrateChart({
  kbps,
  target,
  ceiling,
}: {
  kbps: readonly number[];
  target: number | null;
  ceiling: number | null;
}) {
  const { desk } = useDeskColour();
  const inks = desk === 'dark' ? darkDesk : lightDesk;
  const mbit = kbps.map((k) => Number((k / 1000).toFixed(2)));
  /** A line across, where there is such a rate. */
  const level = (label: string, rate: number | null, borderColor: string, borderDash: number[]) =>
    rate === null
      ? []
      : [
          {
            type: 'line' as const,
            data: mbit.map(() => rate / 1000),
            borderColor,
            borderWidth: 1.2,
            borderDash,
            pointRadius: 0,
            label,
          },
        ];
  return (
    <div className={styles.chart}>
      <ChartView
        type="bar"
        aria-label="Bitrate over time"
        data={{
          labels: mbit.map((_, i) => `${i}`),
          datasets: [
            ...level('ceiling', ceiling, inks.brick, [5, 4]),
            ...level('target', target, inks.teal, [2, 3]),
            {
              type: 'bar' as const,
              data: mbit,
              backgroundColor: inks.ink2,
              barPercentage: 1,
              categoryPercentage: 0.86,
              label: 'measured',
            },
          ],
        }}
        options={{
          responsive: true,
          maintainAspectRatio: false,
          animation: false,
          plugins: {
            tooltip: {
              callbacks: {
                title: ([item]) => `second ${item?.label}`,
                label: (item) => `${item.dataset.label}: ${item.formattedValue} Mbit/s`,
              },
            },
          },
          scales: {
            x: {
              grid: { display: false },
              ticks: { color: inks.ink2, font: { size: 10 }, maxTicksLimit: 8 },
              border: { color: inks.rule },
            },
            y: {
              beginAtZero: true,
              grid: { color: inks.rule },
              ticks: { color: inks.ink2, font: { size: 10 }, maxTicksLimit: 4 },
              border: { display: false },
            },
          },
        }}
      />
    </div>
  );
}
