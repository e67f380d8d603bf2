import { useRef, useState, type KeyboardEvent, type PointerEvent } from 'react';
import type { Face, TileControl } from '../api/client';
import { words } from '../app/words';
import { step } from '../controls/state';
import { label } from '../shared/text';
import { at, isList, isOn, other, part, phase, reach, said, trust } from './face';
import { Mark } from './Mark';
import type { Use } from './useUse';

type Props = { face: Face; is?: TileControl; name: string; use: Use };

// wantedOf is what is wanted of a control just now.
const wantedOf = (use: Use, face: Face) =>
  use.wanted?.control === face.control ? use.wanted.value : undefined;

// classes joins the names of classes that are there.
const classes = (...names: (string | false | undefined)[]) => names.filter(Boolean).join(' ');

// PowerFace is one big place to tap: what is believed, and what a tap does.
export function PowerFace({ face, is, name, use }: Props) {
  const wanted = wantedOf(use, face);
  const value = wanted ?? is?.value;
  const on = isOn(face, value);
  const next = other(face, value);
  const sending = wanted !== undefined;
  const trusted = sending ? 'certain' : trust(is);
  return (
    <button type="button" className="press fill" onClick={() => use.set(face.control, next)}>
      <span className="tile-name">{name}</span>
      <span className={classes('value', on === false && 'off', trusted, sending && 'sending')}>
        <Mark on={on} trust={trusted} sending={sending} />
        <span>
          {said(face, is, wanted)}
          {sending && '…'}
        </span>
        {phase(is) && <span className="tile-hint">{phase(is)}</span>}
      </span>
      <span className="unseen">{words.boards.tap(label(next))}</span>
    </button>
  );
}

// DialFace is a ruler with a button at each end. A drag sends its last value only.
export function DialFace({ face, is, name, use }: Props) {
  const ruler = useRef<HTMLDivElement>(null);
  const [drag, setDrag] = useState<number>();
  const wanted = wantedOf(use, face);
  const shown = drag === undefined ? wanted : String(drag);
  const value = shown ?? is?.value;
  const sending = shown !== undefined;
  const turn = (by: number) => {
    const from = parseFloat(value ?? '');
    if (!Number.isNaN(from)) use.show(face.control, String(step(face, from, by)));
    use.set(face.control, by > 0 ? `up ${by}` : `down ${-by}`);
  };
  const place = (e: PointerEvent) => {
    const box = ruler.current?.getBoundingClientRect();
    if (!box) return undefined;
    return at(face, (e.clientX - box.left) / box.width);
  };
  const key = (e: KeyboardEvent) => {
    const by = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 }[e.key];
    if (by === undefined) return;
    e.preventDefault();
    turn(by);
  };
  const near = sending ? undefined : reach(face, is);
  const to = part(face, value);
  return (
    <>
      <span className="tile-name">{name}</span>
      <div className="row">
        <button
          type="button"
          className="square"
          aria-label={words.boards.less(name)}
          onClick={() => turn(-1)}
        >
          −
        </button>
        <div
          ref={ruler}
          className={classes('ruler', sending ? 'sending' : trust(is))}
          role="slider"
          tabIndex={0}
          aria-label={name}
          aria-valuemin={face.least}
          aria-valuemax={face.most}
          aria-valuenow={parseFloat(value ?? '') || face.least}
          aria-valuetext={said(face, is, shown)}
          onKeyDown={key}
          onPointerDown={(e) => {
            e.currentTarget.setPointerCapture(e.pointerId);
            setDrag(place(e));
          }}
          onPointerMove={(e) => drag !== undefined && setDrag(place(e))}
          onPointerCancel={() => setDrag(undefined)}
          onPointerUp={(e) => {
            const v = drag === undefined ? undefined : place(e);
            setDrag(undefined);
            if (v !== undefined) use.set(face.control, String(v));
          }}
        >
          {value !== undefined && <i style={{ width: `${(near ? near[0] : to) * 100}%` }} />}
          {near && <em style={{ left: `${near[0] * 100}%`, width: `${(near[1] - near[0]) * 100}%` }} />}
        </div>
        <span className={classes('figure', sending ? 'sending' : trust(is))}>
          {is?.about && !sending && <small>{words.boards.about} </small>}
          {said(face, is, shown)}
        </span>
        <button type="button" className="square" aria-label={words.boards.more(name)} onClick={() => turn(1)}>
          +
        </button>
      </div>
    </>
  );
}

// SelectorFace is its values side by side, or a list of them.
export function SelectorFace({ face, is, name, use }: Props) {
  const wanted = wantedOf(use, face);
  const now = wanted ?? is?.value;
  if (isList(face)) {
    return (
      <label>
        <span className="tile-name">{name}</span>
        <select value={now ?? ''} onChange={(e) => use.set(face.control, e.target.value)}>
          {!now && <option value="">?</option>}
          {face.choices.map((v) => (
            <option key={v} value={v}>
              {label(v)}
              {v === now && is?.word === 'doubtful' && wanted === undefined ? ' ?' : ''}
            </option>
          ))}
        </select>
      </label>
    );
  }
  return (
    <>
      <span className="tile-name">
        {name}
        {trust(is) === 'doubtful' && wanted === undefined && ' ?'}
      </span>
      <div className={classes('segments', trust(is))} role="group" aria-label={name}>
        {face.choices.map((v) => (
          <button
            key={v}
            type="button"
            className={wanted === v ? 'sending' : undefined}
            aria-pressed={wanted === undefined && now === v}
            onClick={() => use.set(face.control, v)}
          >
            {label(v)}
          </button>
        ))}
      </div>
    </>
  );
}

// TravelFace is a bar that moves while what it shows does.
export function TravelFace({ face, is, name, use }: Props) {
  const wanted = wantedOf(use, face);
  const [closed = 'closed', open = 'open'] = face.choices;
  const to = part(face, is?.value);
  const end = (value: string, sign: string) => (
    <button
      type="button"
      className="square"
      aria-label={words.boards.moveTo(name, label(value))}
      onClick={() => use.set(face.control, value)}
    >
      {sign}
    </button>
  );
  const text = is?.moving
    ? words.boards.movesTo(label(is.moving > 0 ? open : closed))
    : said(face, is, undefined);
  return (
    <>
      <span className="tile-name">{name}</span>
      <div className="row">
        {end(open, open === 'down' ? '▼' : '▲')}
        {face.stop && (
          <button
            type="button"
            className="square"
            aria-label={words.boards.stop(name)}
            onClick={() => use.press(face.stop ?? '')}
          >
            ■
          </button>
        )}
        {end(closed, closed === 'up' ? '▲' : '▼')}
        <div className={classes('way', trust(is))} aria-hidden="true">
          <i style={{ width: `${to * 100}%` }} />
        </div>
        <span className={classes('figure', wanted !== undefined ? 'sending' : trust(is))}>
          {wanted === undefined ? text : `${label(wanted)}…`}
        </span>
      </div>
    </>
  );
}

// DigitsFace is a number: its favourites, and a place to type one.
export function DigitsFace({ face, is, name, use }: Props) {
  const [typed, setTyped] = useState('');
  const wanted = wantedOf(use, face);
  const favourites = Object.entries(face.favourites ?? {});
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        if (typed) use.set(face.control, typed);
        setTyped('');
      }}
    >
      <span className="tile-name">{name}</span>
      <div className="row">
        <span className={classes('figure', wanted !== undefined ? 'sending' : trust(is))}>
          {said(face, is, wanted)}
        </span>
        <input
          className="square"
          style={{ width: '6rem', textAlign: 'center' }}
          inputMode="numeric"
          maxLength={5}
          placeholder="…"
          aria-label={words.boards.number(name)}
          value={typed}
          onChange={(e) => setTyped(e.target.value.replace(/\D/g, ''))}
        />
        {typed && (
          <button type="submit" className="square text">
            {words.boards.go}
          </button>
        )}
        {favourites.map(([of, n]) => (
          <button
            key={of}
            type="button"
            className="square text"
            onClick={() => use.set(face.control, String(n))}
          >
            {label(of)}
          </button>
        ))}
      </div>
    </form>
  );
}

// FixedFace is what a control is at that nothing here sets: a contact, or a device whose handset is only heard.
function FixedFace({ face, is, name }: Props) {
  return (
    <>
      <span className="tile-name">{name}</span>
      <span className={classes('value', trust(is))}>{said(face, is)}</span>
    </>
  );
}

// ControlFace is the face of a control, by its kind.
export function ControlFace(props: Props) {
  if (props.face.fixed) return <FixedFace {...props} />;
  switch (props.face.kind) {
    case 'power':
      return props.face.choices.length > 2 ? <SelectorFace {...props} /> : <PowerFace {...props} />;
    case 'dial':
      return <DialFace {...props} />;
    case 'selector':
      return <SelectorFace {...props} />;
    case 'travel':
      return <TravelFace {...props} />;
    case 'digits':
      return <DigitsFace {...props} />;
  }
}
