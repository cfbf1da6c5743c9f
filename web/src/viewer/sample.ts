import { GltfState, GltfView, ResourceLoader } from "@khronosgroup/gltf-viewer";
import tangents from "@khronosgroup/gltf-viewer/dist/libs/mikktspace_bg.wasm?url";
import { DataUtils } from "three";

const SAMPLES = 4;
/** It writes light to this power, exactly. */
const GAMMA = 2.2;
/** Degrees; our lights have the camera's side in their middle. */
const TURN = 90;
/** That surroundings are blurred from: the thousands that it wants take minutes without graphics hardware, and show no less noise. */
const DIRECTIONS = 256;
/** A black pixel for its table of how much light a sheen holds back, which does not come with it. */
const NO_TABLE =
  "data:image/png;base64,iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAIAAACQd1PeAAAADElEQVR4nGNgYGAAAAAEAAH2FzhVAAAAAElFTkSuQmCC";

/** The same picture as `pixelsOf` takes with three, by the glTF texts' own sample renderer, which shares no code with it. */
export async function pictureBy(
  glb: ArrayBuffer,
  light: ArrayBuffer,
  width: number,
  height: number,
): Promise<Uint16Array> {
  const context = document.createElement("canvas").getContext("webgl2");
  if (context === null) throw new Error("This browser draws nothing.");
  const frame = drawnInstead(context, width, height);
  takeFewer(context, "u_sampleCount", DIRECTIONS);
  const view = new GltfView(context);
  const state = view.createState();
  // It asks for a folder, and is told the file.
  const loader = new ResourceLoader(view, `${tangents}#`);
  state.environment = await loader.loadEnvironment(light, { lut_sheen_E_file: NO_TABLE });
  state.gltf = await loader.loadGltf(glb);
  Object.assign(state, { sceneIndex: 0, cameraIndex: 0 });
  Object.assign(state.renderingParameters, {
    toneMap: GltfState.ToneMaps.NONE,
    environmentRotation: TURN,
    blurEnvironmentMap: false,
    usePunctual: false,
  });
  view.renderFrame(state, width, height);
  return frame.pixels();
}

/** Let no value that is given under a name be larger than a limit. */
function takeFewer(gl: WebGL2RenderingContext, named: string, limit: number) {
  const places = new Set<WebGLUniformLocation>();
  const [find, set] = [gl.getUniformLocation.bind(gl), gl.uniform1i.bind(gl)];
  gl.getUniformLocation = (program, name) => {
    const place = find(program, name);
    if (place !== null && name === named) places.add(place);
    return place;
  };
  gl.uniform1i = (place, value) => set(place, place !== null && places.has(place) ? Math.min(value, limit) : value);
}

/** A frame of floats that stands in for the canvas, whose bytes would end at display white. */
function drawnInstead(gl: WebGL2RenderingContext, width: number, height: number) {
  gl.getExtension("EXT_color_buffer_float");
  const [many, one] = [SAMPLES, 0].map((samples) => {
    const frame = gl.createFramebuffer();
    gl.bindFramebuffer(gl.FRAMEBUFFER, frame);
    for (const [format, place] of [
      [gl.RGBA32F, gl.COLOR_ATTACHMENT0],
      [gl.DEPTH_COMPONENT24, gl.DEPTH_ATTACHMENT],
    ] as const) {
      const buffer = gl.createRenderbuffer();
      gl.bindRenderbuffer(gl.RENDERBUFFER, buffer);
      gl.renderbufferStorageMultisample(gl.RENDERBUFFER, samples, format, width, height);
      gl.framebufferRenderbuffer(gl.FRAMEBUFFER, place, gl.RENDERBUFFER, buffer);
    }
    return frame;
  }) as [WebGLFramebuffer, WebGLFramebuffer];
  const bind = gl.bindFramebuffer.bind(gl);
  gl.bindFramebuffer = (target, frame) => bind(target, frame ?? many);
  bind(gl.FRAMEBUFFER, many);
  const pixels = () => {
    bind(gl.READ_FRAMEBUFFER, many);
    bind(gl.DRAW_FRAMEBUFFER, one);
    gl.blitFramebuffer(0, 0, width, height, 0, 0, width, height, gl.COLOR_BUFFER_BIT, gl.NEAREST);
    bind(gl.FRAMEBUFFER, one);
    const read = new Float32Array(4 * width * height);
    gl.readPixels(0, 0, width, height, gl.RGBA, gl.FLOAT, read);
    return Uint16Array.from(read, (value) => DataUtils.toHalfFloat(Math.min(value ** GAMMA, 65504)));
  };
  return { pixels };
}
