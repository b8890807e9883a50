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

/** Bitrate in each second of a finished file, with the place's ceiling. */
export function BitrateChart({ kbps, ceiling }: { kbps: readonly number[]; ceiling: number | undefined }) {
  const { desk } = useDeskColour();
  const inks = desk === 'dark' ? darkDesk : lightDesk;
  const mbit = kbps.map((k) => Number((k / 1000).toFixed(2)));
  return (
    <div style={{ height: 110 }}>
      <ChartView
        type="bar"
        aria-label="Bitrate over time"
        data={{
          labels: mbit.map((_, i) => `${i}`),
          datasets: [
            ...(ceiling === undefined
              ? []
              : [
                  {
                    type: 'line' as const,
                    data: mbit.map(() => ceiling / 1000),
                    borderColor: inks.brick,
                    borderWidth: 1.2,
                    borderDash: [5, 4],
                    pointRadius: 0,
                    label: 'ceiling',
                  },
                ]),
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
