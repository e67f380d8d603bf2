import { memo, type ReactNode } from 'react';
import type { Gauge, Tile, TileState } from '../api/client';
import { useMay } from '../api/may';
import { words } from '../app/words';
import { dueLine } from '../automate/lines';
import { Spark } from '../measurements/Spark';
import { gaugeText } from '../measurements/text';
import { label } from '../shared/text';
import { comfortOf } from '../controls/state';
import { control, faceSize, said, trust } from './face';
import { ControlFace } from './faces';
import { Mark } from './Mark';
import { Said } from './Said';
import { TileFrame } from './TileFrame';
import { useUse, type Use } from './useUse';

type Props = {
  board: string;
  tile: Tile;
  state?: TileState;
  onMore: (tile: Tile) => void; // details
  onOpen: (tile: Tile) => void; // all that a device has, or what can be done with an occasion
};

// TileView is one tile. It is drawn anew only where it is another, or at something else.
export const TileView = memo(function TileView({ board, tile, state, onMore, onOpen }: Props) {
  const use = useUse(board, tile.id);
  const name = tile.title ?? tile.name;
  const more = tile.kind === 'control' || tile.kind === 'occasion';
  return (
    <TileFrame
      name={name}
      className={[sizeOf(tile), ...kindOf(tile, state, use)].join(' ')}
      onMore={more && !tile.gone ? () => onMore(tile) : undefined}
    >
      <Body tile={tile} state={state} name={name} use={use} onOpen={onOpen} />
      <Said use={use} name={name} is={tile.faces[0] && control(state, tile.faces[0].control)} />
    </TileFrame>
  );
});

// sizeOf is how much of a row a tile takes: what it was given, or what its face needs.
function sizeOf(tile: Tile): string {
  if (tile.size) return tile.size;
  if (tile.kind === 'heading' || tile.kind === 'note' || tile.kind === 'question') return 'wide';
  const face = tile.faces[0];
  return tile.kind === 'control' && face ? faceSize(face) : 'small';
}

function kindOf(tile: Tile, state: TileState | undefined, use: Use): string[] {
  if (tile.kind === 'heading' || tile.kind === 'note') return ['flat'];
  if (tile.kind === 'occasion') {
    return ['occasion', state?.in_force ? 'force' : '', state?.run || use.busy ? 'busy' : ''];
  }
  return [tile.kind];
}

function Body({
  tile,
  state,
  name,
  use,
  onOpen,
}: {
  tile: Tile;
  state?: TileState;
  name: string;
  use: Use;
  onOpen: (tile: Tile) => void;
}) {
  if (tile.gone) return <Plain name={name} text={words.boards.gone} />;
  if (tile.idle) return <Plain name={name} text={words.boards.nobody} />;
  switch (tile.kind) {
    case 'control': {
      const face = tile.faces[0];
      if (!face) return <Plain name={name} text={words.boards.gone} />;
      return <ControlFace face={face} is={control(state, face.control)} name={name} use={use} />;
    }
    case 'key': {
      const key = tile.keys[0];
      if (!key) return <Plain name={name} text={words.device.notLearned} />;
      return (
        <Tap name={name} busy={use.busy} onTap={() => use.press(key)}>
          <span className="tile-hint">{use.busy ? words.boards.sending : words.boards.press}</span>
        </Tap>
      );
    }
    case 'device':
      return <DeviceFace tile={tile} state={state} name={name} use={use} onOpen={onOpen} />;
    case 'occasion':
      return <OccasionFace tile={tile} state={state} name={name} use={use} onOpen={onOpen} />;
    case 'sequence': {
      const runs = use.busy || Boolean(state?.run);
      return (
        <Tap name={name} busy={runs} onTap={() => use.run('start')}>
          <span className="tile-hint">{runs ? words.boards.underWay : words.boards.run}</span>
        </Tap>
      );
    }
    case 'errand':
      return <ErrandFace state={state} name={name} use={use} />;
    case 'measurement':
      return <GaugeFace of={tile.of ?? ''} gauge={state?.gauge} name={name} />;
    case 'heading':
      return <strong>{tile.text}</strong>;
    case 'note':
      return <span className="note">{tile.text}</span>;
    case 'question':
      return <Plain name={name || words.boards.questions} text={words.boards.nothingAsked} />;
  }
}

// ErrandFace is an errand: a switch, what it is at, and running it now.
function ErrandFace({ state, name, use }: { state?: TileState; name: string; use: Use }) {
  const may = useMay();
  const e = state?.errand;
  const runs = use.busy || Boolean(state?.run);
  const says = runs
    ? words.boards.underWay
    : !e?.on
      ? e && words.errands.off
      : e.trial
        ? words.errands.trialShort
        : e.holding
          ? words.errands.holds
          : e.next
            ? words.errands.due(dueLine(e.next).slice(0, 3) + dueLine(e.next).slice(14))
            : e.did
              ? (words.errands.did[e.did] ?? e.did)
              : words.errands.waits;
  return (
    <>
      <span className="tile-name">{name}</span>
      <span className="tile-hint line">{says}</span>
      <span className="row">
        <button
          type="button"
          className="square text"
          disabled={runs}
          aria-label={words.automate.runName(name)}
          onClick={() => use.run('start')}
        >
          {words.automate.run}
        </button>
        {may('arrange') && e && (
          <button
            type="button"
            className="square text"
            aria-label={words.errands.switchTile(name, e.on)}
            aria-pressed={e.on}
            onClick={() => use.run(e.on ? 'off' : 'on')}
          >
            {e.on ? words.errands.isOn : words.errands.off}
          </button>
        )}
      </span>
    </>
  );
}

// GaugeFace is a measurement: its value, and the last day as a line where that may be seen.
function GaugeFace({ of, gauge, name }: { of: string; gauge?: Gauge; name: string }) {
  return (
    <>
      <span className="tile-name">{name}</span>
      <span className="value">{gauge ? gaugeText(gauge) : '–'}</span>
      <Spark name={of} />
    </>
  );
}

function Plain({ name, text }: { name: string; text: string }) {
  return (
    <>
      <span className="tile-name">{name}</span>
      <span className="tile-hint">{text}</span>
    </>
  );
}

// Tap is a tile that is pressed as a whole.
function Tap({
  name,
  busy,
  onTap,
  children,
}: {
  name: string;
  busy: boolean;
  onTap: () => void;
  children?: ReactNode;
}) {
  return (
    <button type="button" className="press fill" onClick={onTap}>
      <span className="tile-name">{name}</span>
      <span className={busy ? 'value sending' : 'value'}>
        {busy && <Mark trust="certain" sending />}
        {children}
      </span>
    </button>
  );
}

function OccasionFace({
  tile,
  state,
  name,
  use,
  onOpen,
}: Required<Omit<Props, 'board' | 'onMore' | 'state'>> & {
  state?: TileState;
  name: string;
  use: Use;
}) {
  const busy = use.busy || Boolean(state?.run);
  const differs = state?.differs ?? 0;
  if (!state?.in_force) {
    return (
      <button type="button" className="press fill" onClick={() => use.run('start')}>
        <span className="tile-name">{name}</span>
        <span className="tile-hint">{busy ? words.boards.sending : words.boards.start}</span>
      </button>
    );
  }
  return (
    <>
      <button type="button" className="press top" onClick={() => onOpen(tile)}>
        <span className="tile-name">{name}</span>
        {(differs === 0 || busy) && (
          <span className="tile-hint">{busy ? words.boards.sending : words.boards.inForce}</span>
        )}
      </button>
      {differs > 0 && !busy && (
        <button type="button" className="press right" onClick={() => use.run('right')}>
          {words.boards.right(differs)}
        </button>
      )}
    </>
  );
}

// DeviceFace is a device in short: its power where it has one, and the comfort of one that heats or cools. All that it
// has opens from it.
function DeviceFace({
  tile,
  state,
  name,
  use,
  onOpen,
}: {
  tile: Tile;
  state?: TileState;
  name: string;
  use: Use;
  onOpen: (tile: Tile) => void;
}) {
  const target = comfortOf(tile.faces);
  const power = tile.faces.find((f) => f.kind === 'power');
  const is = power && control(state, power.control);
  if (target && tile.size !== 'small') {
    const wanted = control(state, target.control);
    const room = wanted?.beside?.[0];
    const parts = tile.faces
      .filter((f) => f.kind === 'power' || f.kind === 'selector')
      .map((f) => control(state, f.control)?.value)
      .filter((v): v is string => Boolean(v) && v !== 'on');
    return (
      <>
        <button
          type="button"
          className="press fill"
          aria-label={words.boards.all(name)}
          onClick={() => onOpen(tile)}
        />
        <span className="tile-name">{name}</span>
        <div className="comfort">
          {room && (
            <div>
              <b>{`${room.value}${room.unit ? ` ${room.unit}` : ''}`}</b>
              <small>{words.boards.measured}</small>
            </div>
          )}
          <div>
            <b style={{ color: 'var(--belief)' }}>{said(target, wanted)}</b>
            <small>{parts.length ? parts.map(label).join(', ') : words.boards.wanted}</small>
          </div>
          <div className="keys" style={{ position: 'relative', zIndex: 1 }}>
            {[-1, 1].map((by) => (
              <button
                key={by}
                type="button"
                className="square"
                aria-label={by < 0 ? words.boards.less(name) : words.boards.more(name)}
                onClick={() => use.set(target.control, by < 0 ? 'down 1' : 'up 1')}
              >
                {by < 0 ? '−' : '+'}
              </button>
            ))}
          </div>
        </div>
      </>
    );
  }
  const first = power ?? tile.faces[0];
  const value = first ? control(state, first.control) : undefined;
  const nothing = tile.faces.length === 0 && tile.keys.length === 0;
  const says = first ? said(first, value) : nothing ? words.boards.notLearned : words.boards.keys;
  return (
    <button type="button" className="press fill" onClick={() => onOpen(tile)}>
      <span className="tile-name">{name}</span>
      <span className={['value', value?.value === 'off' ? 'off' : '', trust(value)].join(' ')}>
        {power && <Mark on={is?.value ? is.value !== power.choices[0] : undefined} trust={trust(is)} />}
        <span className={first ? undefined : 'tile-hint'}>{says}</span>
      </span>
    </button>
  );
}
