import { lazy, Suspense } from 'react';
import { Navigate, Outlet, Route, Routes, useLocation } from 'react-router';
import { NoAnswer } from '../api/client';
import { useMe } from '../api/queries';
import { Note } from '../shared/Panel';
import { SignInPage } from '../signin/SignInPage';
import { Bare, Frame } from './Frame';
import { Trouble } from './Trouble';
import { words } from './words';

const BoardPage = lazy(() => import('../boards/BoardPage'));
const WallPage = lazy(() => import('../boards/WallPage'));
const DevicesPage = lazy(() => import('../devices/DevicesPage'));
const DevicePage = lazy(() => import('../devices/DevicePage'));
const LessonPage = lazy(() => import('../devices/LessonPage'));
const AuditionPage = lazy(() => import('../audition/AuditionPage'));
const WhichPage = lazy(() => import('../which/WhichPage'));
const ShelfPage = lazy(() => import('../shelf/ShelfPage'));
const BenchPage = lazy(() => import('../bench/BenchPage'));
const AutomatePage = lazy(() => import('../automate/AutomatePage'));
const MeasurementPage = lazy(() => import('../measurements/MeasurementPage'));
const LinkPage = lazy(() => import('../link/LinkPage'));
const HousePage = lazy(() => import('../house/HousePage'));

export function App() {
  return (
    <Routes>
      <Route path="/sign-in" element={<SignInPage />} />
      <Route element={<SignedIn />}>
        <Route path="/boards" element={<BoardPage />} />
        <Route path="/boards/:slug" element={<BoardPage />} />
        <Route path="/wall/:slug" element={<WallPage />} />
        <Route path="/devices" element={<DevicesPage />} />
        <Route path="/devices/:slug" element={<DevicePage />} />
        <Route path="/devices/:slug/:part" element={<DevicePage />} />
        <Route path="/devices/:slug/lesson" element={<LessonPage />} />
        <Route path="/devices/:slug/audition" element={<AuditionPage />} />
        <Route path="/which" element={<WhichPage />} />
        <Route path="/shelf" element={<ShelfPage />} />
        <Route path="/bench" element={<BenchPage />} />
        <Route path="/bench/:capture" element={<BenchPage />} />
        <Route path="/automate" element={<AutomatePage />} />
        <Route path="/automate/measurements/*" element={<MeasurementPage />} />
        <Route path="/link" element={<LinkPage />} />
        <Route path="/house" element={<HousePage />} />
        <Route path="/house/:part" element={<HousePage />} />
        <Route path="*" element={<Navigate to="/boards" replace />} />
      </Route>
    </Routes>
  );
}

// SignedIn shows the pages to those who are, and the way in to everybody else.
function SignedIn() {
  const me = useMe();
  const { pathname, search } = useLocation();
  if (me.isPending) return <Shell />;
  if (me.isError && away(me.error)) return <Bare>{null}</Bare>; // it says since when
  if (me.isError || !me.data) {
    const back = pathname === '/link' ? `?to=${encodeURIComponent(pathname + search)}` : '';
    return <Navigate to={`/sign-in${back}`} replace />;
  }
  const page = (
    <Trouble path={pathname}>
      <Suspense fallback={<Note>{words.loading}</Note>}>
        <Outlet />
      </Suspense>
    </Trouble>
  );
  if (me.data.role === 'guest') {
    if (!pathname.startsWith('/boards')) return <Navigate to="/boards" replace />;
    return <Bare>{page}</Bare>;
  }
  if (pathname.startsWith('/wall/')) return <Bare wall>{page}</Bare>;
  return <Frame>{page}</Frame>;
}

// Shell is what index.html draws before there is anything else: the frame without its contents.
function Shell() {
  return (
    <div className="shell">
      <i />
      <b>Urbo</b>
    </div>
  );
}

// away says whether nobody answered at all: whoever is signed in still is.
function away(e: Error): boolean {
  return e instanceof NoAnswer;
}
