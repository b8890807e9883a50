import LinearProgress from '@mui/material/LinearProgress';
import {
  aspectLabel,
  bytesLabel,
  channelsLabel,
  codecLabel,
  decibelLabel,
  durationLabel,
  masterSeconds,
  rateLabel,
  sizeLabel,
  type Loudness,
  type MasterFacts,
} from '@mivvy/core';
import type { Master } from '@mivvy/api';
import { useJobAbout } from '../../api/queries.ts';
import { ProblemNote } from '../../parts/notices.tsx';
import styles from './masters.module.css';

function colourWords({ video }: MasterFacts): string {
  const { colour, hdr, bitDepth } = video;
  if (hdr !== 'none') return `${hdr === 'pq' ? 'HDR, PQ' : 'HDR, HLG'}, ${bitDepth} bit`;
  const tags = new Set([colour.primaries, colour.transfer, colour.matrix]);
  const name = tags.size === 1 ? [...tags][0] : null;
  return `${name === 'bt709' ? 'BT.709' : (name ?? 'not fully tagged')}, ${bitDepth} bit`;
}

/** What is heard of a film, as facts. */
function soundRows({ audio }: MasterFacts): [string, string][] {
  if (!audio) return [['Sound', 'none']];
  const { loudness } = audio;
  const format = `${codecLabel(audio.codec)}, ${channelsLabel(audio.channels)}, ${audio.sampleRate / 1000} kHz`;
  return [
    ['Sound', format],
    ['Loudness', loudness ? loudnessWords(loudness) : 'being measured'],
  ];
}

function loudnessWords({ integratedLufs, truePeakDbtp }: Loudness): string {
  if (integratedLufs === null) return 'silence';
  const peak = truePeakDbtp === null ? 'not known' : `${decibelLabel(truePeakDbtp)} dBTP`;
  return `${decibelLabel(integratedLufs)} LUFS, peak ${peak}`;
}

/** What is known of a film, in the order that a producer looks. */
function factRows(master: Master, facts: MasterFacts): [string, string][] {
  const { video } = facts;
  const profile = video.profile ? ` ${video.profile}` : '';
  return [
    ['Size', `${sizeLabel(video.displayed)} (${aspectLabel(video.displayed)})`],
    ['Length', `${durationLabel(masterSeconds(facts))}, ${video.frames} frames`],
    ['Rate', `${rateLabel(video.rate)} a second${video.rateVaries ? ', varies' : ''}`],
    ['Picture', `${codecLabel(video.codec)}${profile}, ${video.pixelFormat}`],
    ['Colour', colourWords(facts)],
    ...soundRows(facts),
    ['File', `${bytesLabel(facts.bytes)}, ${master.fileName}`],
    ['Came by', master.origin === 'upload' ? 'upload' : 'the inbox folder'],
  ];
}

/** What is known of a master. */
export function Facts({ master }: { master: Master }) {
  const job = useJobAbout(master.productionId, master.id);
  if (!master.facts) return master.problem ? <ProblemNote problem={master.problem} /> : null;
  const rows = factRows(master, master.facts);
  return (
    <>
      {master.problem && <ProblemNote problem={master.problem} />}
      <dl className="facts">
        {rows.map(([term, value]) => [<dt key={term}>{term}</dt>, <dd key={`${term}-value`}>{value}</dd>])}
      </dl>
      {master.sha256 && <p className={`mono quiet ${styles.sum}`}>SHA-256 {master.sha256}</p>}
      {job && job.state === 'running' && (
        <div className={styles.reading}>
          <p className="quiet">{job.stage}</p>
          <LinearProgress variant="determinate" value={job.fraction * 100} aria-label="Reading the master" />
        </div>
      )}
    </>
  );
}
