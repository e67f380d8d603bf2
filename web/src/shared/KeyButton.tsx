import ButtonBase from '@mui/material/ButtonBase';
import { label } from './text';
import { useHold } from './useHold';

type Props = {
  name: string;
  onPress: () => void;
  onHold?: (down: () => boolean) => Promise<unknown>; // for as long as it is down
  state?: 'plain' | 'missing' | 'sending' | 'sent' | 'trouble';
  hint?: string;
};

const colours: Record<string, string> = { red: '#B3261E', amber: '#B7791F', white: '#FFFFFF' };

// KeyButton is one key of a handset. A key that is not learned has a dashed edge; one that is being sent, a thick one
// in the colour of transmitting.
export function KeyButton({ name, onPress, onHold, state = 'plain', hint }: Props) {
  const busy = state === 'sending' || state === 'sent';
  const dot = colours[name];
  return (
    <ButtonBase
      {...useHold(onPress, onHold)}
      aria-label={hint ? `${label(name)}, ${hint}` : label(name)}
      sx={{
        minHeight: 52,
        minWidth: 0,
        px: 0.75,
        border: state === 'missing' ? '1px dashed' : '1px solid',
        borderColor:
          busy || state === 'trouble'
            ? 'secondary.main'
            : state === 'missing'
              ? 'text.secondary'
              : 'text.primary',
        boxShadow: (t) => (busy ? `inset 0 0 0 2px ${t.vars?.palette.transmitted ?? ''}` : 'none'),
        borderRadius: '10px',
        color: state === 'missing' ? 'text.secondary' : 'text.primary',
        fontFamily: 'inherit',
        fontSize: 16,
        lineHeight: 1.15,
        '&:active': { transform: 'translateY(1px)' },
        '&.Mui-focusVisible': { outline: '3px solid currentColor', outlineOffset: 2 },
      }}
    >
      {dot && (
        <span
          aria-hidden="true"
          style={{
            width: 12,
            height: 12,
            borderRadius: 6,
            background: dot,
            border: '1px solid #8886',
            marginRight: 7,
            flex: 'none',
          }}
        />
      )}
      {label(name)}
    </ButtonBase>
  );
}
