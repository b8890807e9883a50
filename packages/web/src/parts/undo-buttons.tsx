import RedoIcon from '@mui/icons-material/RedoOutlined';
import UndoIcon from '@mui/icons-material/UndoOutlined';
import Tooltip from '@mui/material/Tooltip';

interface Steps {
  undo: boolean;
  redo: boolean;
  onStep: (direction: 'undo' | 'redo') => void;
}

/** Takes the last change back, and does it again; dead where there is nothing to. */
export function UndoButtons({ undo, redo, onStep }: Steps) {
  return (
    <>
      <Tooltip title="Take back (Ctrl Z)">
        <span>
          <button
            className="iconbutton"
            aria-label="Take back"
            disabled={!undo}
            onClick={() => onStep('undo')}
          >
            <UndoIcon />
          </button>
        </span>
      </Tooltip>
      <Tooltip title="Do again (Ctrl Shift Z)">
        <span>
          <button
            className="iconbutton"
            aria-label="Do again"
            disabled={!redo}
            onClick={() => onStep('redo')}
          >
            <RedoIcon />
          </button>
        </span>
      </Tooltip>
    </>
  );
}

/** The same in words, within a sentence. */
export function UndoWords({ undo, redo, onStep }: Steps) {
  return (
    <>
      <button className="fix tall" disabled={!undo} onClick={() => onStep('undo')}>
        Take back
      </button>
      {' · '}
      <button className="fix tall" disabled={!redo} onClick={() => onStep('redo')}>
        Do again
      </button>
    </>
  );
}
