/** What is used here of the sample renderer, which brings no types. */
declare module "@khronosgroup/gltf-viewer" {
  export class GltfView {
    constructor(context: WebGL2RenderingContext);
    createState(): GltfState;
    renderFrame(state: GltfState, width: number, height: number): void;
  }

  export class GltfState {
    static ToneMaps: { NONE: string };
    gltf: unknown;
    environment: unknown;
    sceneIndex: number;
    cameraIndex: number | undefined;
    renderingParameters: {
      toneMap: string;
      environmentRotation: number;
      blurEnvironmentMap: boolean;
      usePunctual: boolean;
    };
  }

  export class ResourceLoader {
    constructor(view: GltfView, folderOfLibraries: string);
    loadGltf(file: ArrayBuffer): Promise<unknown>;
    loadEnvironment(file: ArrayBuffer, tables: { lut_sheen_E_file: string }): Promise<unknown>;
  }
}
