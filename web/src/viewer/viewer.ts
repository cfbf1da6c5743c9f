import {
  EquirectangularReflectionMapping,
  FloatType,
  HalfFloatType,
  NoToneMapping,
  PerspectiveCamera,
  PMREMGenerator,
  Scene,
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
  /** What the camera looks at, about which it is turned. */
  target: Vector3;
  /** Put the camera where the scene has it. */
  reset: () => void;
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
  scene.updateMatrixWorld(true);
  const home = camera.matrixWorld.clone();
  // Turned by hand, the camera stands in the scene by itself.
  scene.add(camera);
  const reset = () => {
    home.decompose(camera.position, camera.quaternion, camera.scale);
    camera.updateMatrixWorld(true);
  };
  reset();
  return { renderer, scene, camera, target: aimed(camera), reset };
}

/** The point before the camera that is nearest to the middle of the stand, the origin. */
function aimed(camera: PerspectiveCamera): Vector3 {
  const ahead = camera.getWorldDirection(new Vector3());
  return camera.position.clone().addScaledVector(ahead, Math.max(-camera.position.dot(ahead), 0.1));
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
