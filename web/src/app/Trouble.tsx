import { Component, type ReactNode } from 'react';
import Button from '@mui/material/Button';
import { Note } from '../shared/Panel';
import { words } from './words';

// reloaded is where this tab remembers that it loaded itself again, so that it does so once.
const reloaded = 'urbo-reloaded';

type Props = { path: string; children: ReactNode };
type State = { trouble: string };

// Trouble catches what goes wrong while a page is drawn. After an upgrade of the service the parts of the page that was
// loaded before are not there any more: then the page loads itself again, once.
export class Trouble extends Component<Props, State> {
  override state: State = { trouble: '' };

  static getDerivedStateFromError(e: unknown): State {
    return { trouble: e instanceof Error ? e.message : String(e) };
  }

  override componentDidMount() {
    window.setTimeout(() => sessionStorage.removeItem(reloaded), 10_000); // it holds: another upgrade may come
  }

  override componentDidUpdate(before: Props) {
    if (before.path !== this.props.path && this.state.trouble) this.setState({ trouble: '' });
  }

  override componentDidCatch(e: unknown) {
    const gone = e instanceof Error && /import|module|preload|chunk/i.test(e.message);
    if (!gone || sessionStorage.getItem(reloaded)) return;
    sessionStorage.setItem(reloaded, 'yes');
    window.location.reload();
  }

  override render() {
    if (!this.state.trouble) return this.props.children;
    return (
      <Note>
        <p>{words.trouble(this.state.trouble)}</p>
        <Button variant="outlined" onClick={() => window.location.reload()}>
          {words.loadAgain}
        </Button>
      </Note>
    );
  }
}
