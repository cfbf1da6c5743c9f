import {
  EquirectangularReflectionMapping,
  FloatType,
  HalfFloatType,
  MathUtils,
  NoToneMapping,
  PerspectiveCamera,
  PMREMGenerator,
  Scene,
  Spherical,
  Vector3,
  WebGLRenderer,
  WebGLRenderTarget,
  type DataTexture,
} from "three";
import { EXRLoader } from "three/addons/loaders/EXRLoader.js";
import { GLTFLoader } from "three/addons/loaders/GLTFLoader.js";

/** A kit's scene as an independent web renderer shows it: meshes, materials and camera of its GLB, lit by its light and nothing else. */
export interface Viewer {
  renderer: WebGLRenderer;
  scene: Scene;
  camera: PerspectiveCamera;
  /** What the camera looks at, about which it is turned, and where it stands in the scene. */
  target: Vector3;
  home: Vector3;
}

/** Our lights have the camera's side in their middle, three's have +x there. */
const A_QUARTER_TURN = -Math.PI / 2;
const SAMPLES = 4;

export async function openViewer(glb: ArrayBuffer, light: ArrayBuffer): Promise<Viewer> {
  const renderer = new WebGLRenderer({ antialias: true });
  renderer.toneMapping = NoToneMapping;
  const loaded = await new GLTFLoader().parseAsync(glb, "");
  const camera = loaded.cameras[0];
  if (!(camera instanceof PerspectiveCamera)) throw new Error("The scene holds no camera.");
  const scene = new Scene();
  scene.add(loaded.scene);
  const sky = surroundings(light);
  scene.background = sky;
  scene.environment = new PMREMGenerator(renderer).fromEquirectangular(sky).texture;
  scene.backgroundRotation.y = scene.environmentRotation.y = A_QUARTER_TURN;
  // Turned by hand, the camera stands in the scene by itself.
  scene.attach(camera);
  const target = new Vector3().fromArray((camera.userData.target as number[] | undefined) ?? [0, 0, 0]);
  return { renderer, scene, camera, target, home: camera.position.clone() };
}

/** Degrees above what the camera looks at, and scene units away from it: where the server draws from, too. */
export const CAMERA_ROOM = { highest: 85, closest: 1.7, farthest: 40 } as const;

/** Where the camera stands, as it follows a stand's id: degrees about the vertical, degrees up, scene units away. */
export function placeOf({ camera, target }: Viewer): string {
  const { radius, phi, theta } = new Spherical().setFromVector3(camera.position.clone().sub(target));
  const numbers = [MathUtils.radToDeg(theta).toFixed(1), (90 - MathUtils.radToDeg(phi)).toFixed(1), radius.toFixed(2)];
  return numbers.map(Number).join(",");
}

/** Put the camera there, or where the scene has it. */
export function putCamera(viewer: Viewer, place: string | undefined): void {
  const { camera, target, home } = viewer;
  if (place === undefined) camera.position.copy(home);
  else if (place !== placeOf(viewer)) {
    const [about = 0, up = 0, distance = 1] = place.split(",").map(Number);
    camera.position
      .setFromSphericalCoords(distance, MathUtils.degToRad(90 - up), MathUtils.degToRad(about))
      .add(target);
  }
  camera.lookAt(target);
  camera.updateMatrixWorld();
}

function surroundings(light: ArrayBuffer): DataTexture {
  const loader = new EXRLoader();
  loader.setDataType(FloatType);
  const sky = loader.createDataTexture(light);
  sky.mapping = EquirectangularReflectionMapping;
  return sky;
}

/** The picture in linear light, red, green, blue and alpha of each pixel as half floats, the lowest row first. */
export function pixelsOf({ renderer, scene, camera }: Viewer, width: number, height: number): Uint16Array {
  const target = new WebGLRenderTarget(width, height, { type: HalfFloatType, samples: SAMPLES });
  camera.aspect = width / height;
  camera.updateProjectionMatrix();
  renderer.setRenderTarget(target);
  renderer.render(scene, camera);
  const pixels = new Uint16Array(4 * width * height);
  renderer.readRenderTargetPixels(target, 0, 0, width, height, pixels);
  renderer.setRenderTarget(null);
  target.dispose();
  return pixels;
}
