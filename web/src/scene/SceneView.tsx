import { Canvas, useThree } from "@react-three/fiber";
import { useEffect, useMemo, useState } from "react";
import * as THREE from "three";
import { OrbitControls } from "three/examples/jsm/controls/OrbitControls.js";
import { useSamples } from "../api/client";
import { sample } from "../document/animate";
import { plateFrame } from "../document/timing";
import {
  eyeOf,
  floorThrough,
  modelOf,
  movedBy,
  poseIn,
  SAME,
  scaledBy,
  through4,
  times4,
  type Matrix4,
} from "../document/scene";
import type { CameraFile, CameraTrack, Layer, Shot, Vec3 } from "../document/types";
import { usePick } from "../state/bench";
import { Scrub } from "../ui/Scrub";
import { footageOf, hasPicture } from "../document/layers";

const VERDIGRIS = "#5fb3a1";
const BRASS = "#c7a252";
const WARN = "#d9734f";
const NONE: number[] = [];
type Picking = "none" | "floor" | "origin" | "scale";
const SAYS: Record<Picking, string> = {
  none: "Drag to look around, wheel to come nearer, right button to shift.",
  floor: "Click three points that lie on the floor; the first becomes the origin.",
  origin: "Click the point that becomes the origin.",
  scale: "Click two points whose distance you know.",
};

/** The solved scene from outside or through its camera: points, the camera's way, layers that lie in it; its floor, origin
 * and units are set by picking points. */
export default function SceneView({ trackId }: { trackId: string }) {
  const { shot, stored, frame, give, set, say } = usePick("shot", "stored", "frame", "give", "set", "say");
  const track = shot!.tracks[trackId] as CameraTrack;
  const file = useSamples(track.samples ? [track.samples] : [])[track.samples ?? ""] as CameraFile | undefined;
  const [picking, setPicking] = useState<Picking>("none");
  const [picked, setPicked] = useState<number[]>([]);
  const [through, setThrough] = useState(false);
  const [distance, setDistance] = useState(100);
  if (!shot || !file) return <p className="m-auto text-quiet">Reading the solve…</p>;
  const world = track.world ?? SAME;
  const now = plateFrame(shot, frame);
  const start = (what: Picking) => {
    setPicking(what === picking ? "none" : what);
    setPicked([]);
  };
  const finish = (called: string, next: Matrix4) => {
    void give("set-world", { track: track.id, world: next.map((v) => Number(v.toPrecision(9))), called });
    setPicking("none");
    setPicked([]);
  };
  const pick = (i: number) => {
    if (picking === "none" || picked.includes(i)) return;
    const all = [...picked, i];
    setPicked(all);
    const at = all.map((k) => through4(world, file.points3d[k]));
    if (picking === "origin") finish("the origin", movedBy(world, at[0].map((v) => -v) as Vec3));
    if (picking === "floor" && all.length === 3) {
      const first = file.frames.find((f) => f.world_to_camera)!.world_to_camera!;
      const floor = floorThrough(at[0], at[1], at[2], through4(world, eyeOf(first)));
      if (floor) finish("the floor", times4(floor, world));
      else {
        say("These three points lie in a line: choose others.", "info");
        setPicked([]);
      }
    }
  };
  const apart =
    picked.length === 2
      ? Math.hypot(
          ...through4(world, file.points3d[picked[0]]).map((v, i) => v - through4(world, file.points3d[picked[1]])[i]),
        )
      : 0;
  return (
    <div className="relative min-h-0 min-w-0 flex-1 bg-ground" data-testid="scene">
      {through && stored && (
        <img
          src={`/api/shots/${stored.id}/frame/${frame}.jpg?revision=${stored.revision}&width=1280`}
          alt=""
          className="absolute inset-0 h-full w-full object-contain opacity-70"
        />
      )}
      <Canvas
        frameloop="demand"
        gl={{ alpha: true }}
        camera={{ fov: 40, near: 1e-4, far: 1e6 }}
        aria-label="The solved scene"
        role="img"
      >
        <ambientLight intensity={3} />
        <Contents
          shot={shot}
          track={track}
          file={file}
          world={world}
          frame={frame}
          now={now}
          picked={picked}
          through={through}
          pick={pick}
        />
      </Canvas>
      <div className="absolute top-3 left-3 flex flex-wrap items-center gap-1.5">
        <button className="btn" onClick={() => set({ scene: null })}>
          Back to the picture
        </button>
        <button className="btn" aria-pressed={through} onClick={() => setThrough(!through)}>
          <span className={through ? "text-brass" : ""}>through the camera</span>
        </button>
        {(["floor", "origin", "scale"] as const).map((what) => (
          <button key={what} className="btn" aria-pressed={picking === what} onClick={() => start(what)}>
            <span className={picking === what ? "text-brass" : ""}>set the {what}</span>
          </button>
        ))}
        {track.world && (
          <button className="btn" onClick={() => finish(`let ${track.name} lie as it was solved`, SAME)}>
            as it was solved
          </button>
        )}
      </div>
      {picking === "scale" && picked.length === 2 && (
        <div className="absolute top-14 left-3 flex items-center gap-2 rounded bg-black/70 px-3 py-2">
          <span>They are</span>
          <Scrub
            label="Distance"
            value={distance}
            step={1}
            unit=""
            digits={1}
            hard={[1e-6, 1e6]}
            onDrag={setDistance}
            onSet={setDistance}
          />
          <span>units apart.</span>
          <button className="btn btn-main" onClick={() => finish("the units", scaledBy(world, distance / apart))}>
            Set the scale
          </button>
        </div>
      )}
      <p className="pointer-events-none absolute bottom-3 left-1/2 -translate-x-1/2 rounded bg-black/70 px-3 py-1 text-center">
        {through && picking === "none" ? "Seen by the camera of this frame." : SAYS[picking]}
        {picked.length && picking !== "none" ? ` ${picked.length} clicked.` : ""}
      </p>
    </div>
  );
}

interface ContentsProps {
  shot: Shot;
  track: CameraTrack;
  file: CameraFile;
  world: Matrix4;
  frame: number;
  now: number;
  picked: number[];
  through: boolean;
  pick: (i: number) => void;
}

function Contents({ shot, track, file, world, frame, now, picked, through, pick }: ContentsProps) {
  const { camera, gl, invalidate, size } = useThree();
  const points = useMemo(() => file.points3d.map((p) => through4(world, p)), [file, world]);
  const way = useMemo(
    () => file.frames.filter((f) => f.world_to_camera).map((f) => through4(world, eyeOf(f.world_to_camera!))),
    [file, world],
  );
  const middle = useMemo(
    () => [0, 1, 2].map((c) => median([...points.map((p) => p[c]), way[0][c]])) as Vec3,
    [points, way],
  );
  const reach = useMemo(
    () =>
      Math.max(
        quantile(
          points.map((p) => Math.hypot(...p.map((v, i) => v - middle[i]))),
          0.8,
        ),
        Math.hypot(...way[0].map((v, i) => v - middle[i])),
      ),
    [points, middle, way],
  );
  const here = poseIn(file, world, now);
  const controls = useMemo(() => new OrbitControls(camera, gl.domElement), [camera, gl]);
  useEffect(() => {
    const changed = () => invalidate();
    controls.addEventListener("change", changed);
    return () => {
      controls.removeEventListener("change", changed);
      controls.dispose();
    };
  }, [controls, invalidate]);
  useEffect(() => {
    if (through) return;
    camera.up.set(0, -1, 0); // y points down
    const between = middle.map((v, i) => 0.64 * v + 0.36 * way[0][i]) as Vec3; // both the points and the camera's way are in view
    camera.position.set(between[0] + reach * 0.72, between[1] - reach * 0.48, between[2] - reach * 0.85);
    controls.target.set(...between);
    (camera as THREE.PerspectiveCamera).fov = 40;
    camera.updateProjectionMatrix();
    controls.update();
  }, [camera, controls, middle, reach, through, way]);
  useEffect(() => {
    controls.enabled = !through;
    if (!through || !here) return;
    const [, y, z] = here.axes;
    camera.position.set(...here.eye);
    camera.up.set(-y[0], -y[1], -y[2]);
    camera.lookAt(here.eye[0] + z[0], here.eye[1] + z[1], here.eye[2] + z[2]);
    const [w, h] = file.size;
    const fit = Math.min(size.width / w, size.height / h); // the frame fits the view as in the picture
    (camera as THREE.PerspectiveCamera).fov = (2 * Math.atan(size.height / fit / 2 / file.focal_px) * 180) / Math.PI;
    camera.updateProjectionMatrix();
    invalidate();
  });
  const layers = Object.values(shot.layers).filter(
    (l): l is Layer => hasPicture(l) && modelOf(shot, l, frame)?.track === track.id,
  );
  return (
    <>
      <Cloud points={points} errors={file.point_errors_px ?? NONE} size={reach / 90} pick={pick} />
      {picked.map((i) => (
        <mesh key={i} position={points[i]}>
          <sphereGeometry args={[reach / 60, 12, 8]} />
          <meshBasicMaterial color={BRASS} />
        </mesh>
      ))}
      <Way way={way} />
      {here && !through && <Frustum eye={here.eye} axes={here.axes} file={file} length={reach / 6} />}
      {track.world && <gridHelper args={[reach * 4, 24, "#6b665c", "#3a3a3a"]} />}
      {track.world && (
        <axesHelper args={[reach / 4]} onUpdate={(axes) => axes.setColors("#c7a252", "#8f8b83", "#5fb3a1")} />
      )}
      {layers.map((l) => (
        <Card key={l.id} layer={l} shot={shot} frame={frame} facing={here?.axes ?? null} />
      ))}
    </>
  );
}

/** The solved points; those that fit badly are drawn in the colour of warnings. */
function Cloud({
  points,
  errors,
  size,
  pick,
}: {
  points: Vec3[];
  errors: number[];
  size: number;
  pick: (i: number) => void;
}) {
  const geometry = useMemo(() => {
    const [sure, bad] = [new THREE.Color(VERDIGRIS), new THREE.Color(WARN)];
    const colours = points.flatMap((_, i) =>
      new THREE.Color().lerpColors(sure, bad, Math.min(1, Math.max(0, (errors[i] ?? 0) - 0.5))).toArray(),
    );
    return new THREE.BufferGeometry()
      .setAttribute("position", new THREE.Float32BufferAttribute(points.flat(), 3))
      .setAttribute("color", new THREE.Float32BufferAttribute(colours, 3));
  }, [points, errors]);
  const { raycaster } = useThree();
  useEffect(() => {
    raycaster.params.Points = { threshold: size * 2.2 };
  }, [raycaster, size]);
  return (
    <points
      geometry={geometry}
      onClick={(e) => {
        e.stopPropagation();
        const nearest = e.intersections
          .filter((x) => x.index !== undefined)
          .sort((a, b) => (a.distanceToRay ?? 0) - (b.distanceToRay ?? 0))[0];
        if (nearest?.index !== undefined) pick(nearest.index);
      }}
    >
      <pointsMaterial size={4} sizeAttenuation={false} vertexColors />
    </points>
  );
}

function Way({ way }: { way: Vec3[] }) {
  const line = useMemo(
    () =>
      new THREE.Line(
        new THREE.BufferGeometry().setFromPoints(way.map((p) => new THREE.Vector3(...p))),
        new THREE.LineBasicMaterial({ color: "#e6e4df" }),
      ),
    [way],
  );
  return <primitive object={line} />;
}

/** The camera of this frame, as far as its picture reaches. */
function Frustum({
  eye,
  axes,
  file,
  length,
}: {
  eye: Vec3;
  axes: [Vec3, Vec3, Vec3];
  file: CameraFile;
  length: number;
}) {
  const [w, h] = file.size;
  const corner = (x: number, y: number): THREE.Vector3 => {
    const local = [((x - 0.5) * w) / file.focal_px, ((y - 0.5) * h) / file.focal_px, 1];
    return new THREE.Vector3(
      ...([0, 1, 2].map((c) => eye[c] + length * local.reduce((s, v, k) => s + v * axes[k][c], 0)) as Vec3),
    );
  };
  const [a, b, c, d] = [corner(0, 0), corner(1, 0), corner(1, 1), corner(0, 1)];
  const from = new THREE.Vector3(...eye);
  const object = new THREE.LineSegments(
    new THREE.BufferGeometry().setFromPoints([a, b, b, c, c, d, d, a, from, a, from, b, from, c, from, d]),
    new THREE.LineBasicMaterial({ color: BRASS }),
  );
  return <primitive object={object} />;
}

/** A layer that lies in the scene, with its own picture. */
function Card({
  layer,
  shot,
  frame,
  facing,
}: {
  layer: Layer;
  shot: Shot;
  frame: number;
  facing: [Vec3, Vec3, Vec3] | null;
}) {
  const depth = layer.place.depth!;
  const footage = shot.footage[footageOf(layer) ?? ""];
  const width = sample(depth.width, frame);
  const invalidate = useThree((s) => s.invalidate);
  const texture = useMemo(() => {
    const loaded = new THREE.TextureLoader().load(`/api/media/${footage.media}/poster.jpg`, () => invalidate());
    loaded.colorSpace = THREE.SRGBColorSpace;
    return loaded;
  }, [footage.media, invalidate]);
  const model = modelOf(shot, layer, frame)!;
  const r =
    depth.facing === "camera" && facing ? [0, 1, 2].flatMap((row) => facing.map((axis) => axis[row])) : model.turn;
  const p = model.place;
  // the plane's own y points up, the scene's down
  const matrix = new THREE.Matrix4().set(
    r[0],
    -r[1],
    -r[2],
    p[0],
    r[3],
    -r[4],
    -r[5],
    p[1],
    r[6],
    -r[7],
    -r[8],
    p[2],
    0,
    0,
    0,
    1,
  );
  return (
    <mesh matrixAutoUpdate={false} matrix={matrix}>
      <planeGeometry args={[width, (width * footage.size[1]) / footage.size[0]]} />
      <meshBasicMaterial map={texture} side={THREE.DoubleSide} />
    </mesh>
  );
}

const quantile = (values: number[], q: number) =>
  [...values].sort((a, b) => a - b)[Math.floor((values.length - 1) * q)] ?? 1;
const median = (values: number[]) => quantile(values, 0.5);
