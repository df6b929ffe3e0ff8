import { useEffect, useRef, useState, type ReactNode } from 'react';
import styled, { useTheme } from 'styled-components';
import type { Place } from '../api/types';
import { Link } from '../parts/basics';
import type { Store } from '../frame/settings';
import type { Cursor } from '../model/strip';
import { Scene, type Dim, type Picked, type Play } from './scene';

const Box = styled.div`
  position: relative;
  height: 100%;
  min-height: 0;
  overflow: hidden;
  background-color: ${(p) => p.theme.paper};
  background-image:
    linear-gradient(${(p) => p.theme.grid} 1px, transparent 1px),
    linear-gradient(90deg, ${(p) => p.theme.grid} 1px, transparent 1px);
  background-size: 40px 40px;
  .picture {
    position: absolute;
    inset: 0;
  }
  .over {
    position: absolute;
    left: 20px;
    top: 14px;
    right: 20px;
    pointer-events: none;
  }
  .looks {
    position: absolute;
    right: 14px;
    bottom: 10px;
    display: flex;
    gap: 14px;
    font-size: 14px;
    /* A layer of its own: drawn without a graphics card its ground came out three times as high, over the strip below. */
    will-change: transform;
    background: ${(p) => p.theme.paper};
    padding: 0 6px;
  }
  .none {
    position: absolute;
    inset: 0;
    display: grid;
    place-items: center;
    color: ${(p) => p.theme.quiet};
  }
`;

export interface Cut {
  axis: 0 | 1 | 2;
  at: number;
}

interface Props {
  play: Play | null;
  mesh: ArrayBuffer | undefined;
  /** Boxes to show, part coordinates. */
  places: readonly Place[];
  /** The moment on the strip; followed without React. */
  cursor: Store<Cursor>;
  /** Words over the picture. */
  children?: ReactNode;
  onHover?: (face: number | null) => void;
  onPick?: (p: Picked) => void;
  ruler?: [Picked | null, Picked | null];
  /** Where the part is cut open. */
  section?: Cut | null;
  /** Thicknesses measured on the section. */
  dims?: readonly Dim[];
  /** Triangles of the revision before, shown over the part. */
  over?: ArrayBuffer | null;
  /** These are neighbours, not a revision before. */
  beside?: boolean;
  /** What the picture shows, for a reader that does not see it. */
  label: string;
}

export function Stage({
  play,
  mesh,
  places,
  cursor,
  children,
  onHover,
  onPick,
  ruler,
  section,
  dims,
  over,
  beside,
  label,
}: Props) {
  const host = useRef<HTMLDivElement>(null);
  const [scene, setScene] = useState<Scene | null>(null);
  const [fault, setFault] = useState<string | null>(null);
  const theme = useTheme();
  const first = useRef(theme);

  useEffect(() => {
    if (!host.current) return;
    try {
      const s = new Scene(host.current, first.current);
      setScene(s);
      return () => s.dispose();
    } catch {
      setFault('This browser shows no 3D pictures (WebGL is off); everything else works');
    }
  }, []);
  useEffect(() => scene?.setTheme(theme), [scene, theme]);
  useEffect(() => {
    if (mesh) scene?.setMesh(mesh);
  }, [scene, mesh]);
  useEffect(() => {
    if (scene) [scene.onHover, scene.onPick] = [onHover ?? null, onPick ?? null];
  }, [scene, onHover, onPick]);
  useEffect(() => {
    if (play) scene?.show(play);
    if (play?.kind === 'cut') scene?.seek(cursor.get().at);
  }, [scene, play, cursor]);
  useEffect(() => scene?.mark(places), [scene, places, play]);
  useEffect(() => scene?.ruler(ruler?.[0]?.point ?? null, ruler?.[1]?.point ?? null), [scene, ruler, play]);
  useEffect(() => scene?.section(section ?? null), [scene, section]);
  useEffect(() => scene?.dims(dims ?? []), [scene, dims, play, theme]);
  useEffect(() => scene?.over(over ?? null, beside ?? false), [scene, over, beside]);
  useEffect(() => cursor.subscribe(() => scene?.seek(cursor.get().at)), [scene, cursor]);

  return (
    <Box>
      <div className="picture" ref={host} role="img" aria-label={label} data-stage={play?.kind ?? 'none'} />
      {fault ? <div className="none">{fault}</div> : null}
      {!play && !fault ? <div className="none">The picture comes with the first plan</div> : null}
      <div className="over">{children}</div>
      <div className="looks">
        <Link onPress={() => scene?.look('corner')}>From the corner</Link>
        <Link onPress={() => scene?.look('front')}>Front</Link>
        <Link onPress={() => scene?.look('top')}>Top</Link>
      </div>
    </Box>
  );
}
