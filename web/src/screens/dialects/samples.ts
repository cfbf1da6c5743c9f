export type SheetKind = ".json" | ".yaml" | ".csv";

/** Rows as JSON with a line for each value, so that colours stay in one line. */
function rows(...materials: Record<string, unknown>[]): string {
  const written = materials.map(
    (material) =>
      `  {\n${Object.entries(material)
        .map(([name, value]) => `    ${JSON.stringify(name)}: ${JSON.stringify(value)}`)
        .join(",\n")}\n  }`,
  );
  return `[\n${written.join(",\n")}\n]\n`;
}

/** A few rows for each shipped dialect, from the invented Heron Lode, so that one sees at once what it does. */
export const SAMPLES: Record<string, { kind: SheetKind; text: string }> = {
  sedge: {
    kind: ".csv",
    text: "Surface,Body colour,Shine colour,Polish\ndial enamel,230 226 214,60 60 60,82\ngauge paper,222 214 190,50 50 50,18\n",
  },
  bittern: {
    kind: ".yaml",
    text: '- {Item: mooring chain, Base tone: [0.2, 0.19, 0.18], Glint tone: [0.5, 0.5, 0.5], Glint power: 12}\n- {Item: warning lamp, Base tone: "#200804", Lamp tone: "#ff5a1e", Shading: full}\n',
  },
  osier: {
    kind: ".json",
    text: rows(
      {
        Label: "sight-glass tube",
        Paint: [0, 0, 0],
        "Mirror share": [250, 250, 250],
        "Mirror gloss": 99,
        "Glass share": [250, 250, 250],
        "Glass gloss": 99,
        Bend: 1.52,
        "Inner tint": "#cfe8d8",
        "Inner tint strength": 0.4,
      },
      { Label: "oiled drive belt", Paint: [38, 32, 26], "Mirror share": 110, "Mirror gloss": 68, Shape: "short tail" },
    ),
  },
  withy: {
    kind: ".csv",
    text: "shader,dif_amt,dif_col,ref_amt,ref_blur\ntarpaulin,0.9,0.06 0.12 0.09,0.35,0.6\nlimewashed brick,0.8,0.72 0.69 0.62,0.1,0.9\n",
  },
  teasel: {
    kind: ".yaml",
    text: '- look: gauge-brass bezel\n  body/gain: 0\n  main/straight: [0.83, 0.68, 0.33]\n  main/rough: 0.22\n  main/stretch: -0.4\n- look: green paint\n  body/tone: "#1f4a2c"\n  main/rough: 0.2\n  top/on: 1\n',
  },
  quern: {
    kind: ".csv",
    text: "Title,Kind,Colour,Finish,Clear,Depth colour,Depth\npeat water,other,0 0 0,99,100,96 58 20,40\nnickel float,metal,178 168 158,78,,,\n",
  },
  staithe: {
    kind: ".json",
    text: rows(
      {
        id: "reed leaf",
        colour: [0.35, 0.5, 0.2],
        shineColour: [0.2, 0.2, 0.2],
        shineSharpness: 24,
        backGlow: "#5f8a2a",
      },
      { id: "lamp halo", colour: [0, 0, 0], selfLit: [3, 1.6, 0.4], joining: "add", answer: "none" },
    ),
  },
  assay: {
    kind: ".csv",
    text: "specimen,metal,coarseness,grain,grain angle\ncopper feed pipe,copper,18,0,0\nbrushed steel plate,stainless steel,35,0.7,90\n",
  },
  lintel: {
    kind: ".csv",
    text: "Finish,Colour,Reflectance,Roughness,Translucency,Index,Tile width\nquarry tile,120 62 44,4,42,0,1.5,300\nwired window,235 240 236,4,3,92,1.52,0\n",
  },
  confluence: {
    kind: ".json",
    text: rows(
      { dialect: "withy", shader: "clean brick", dif_amt: 0.8, dif_col: [0.55, 0.2, 0.12] },
      { dialect: "withy", shader: "moss", dif_amt: 0.8, dif_col: [0.1, 0.2, 0.04] },
      { blend: "mossy brick", under: "clean brick", over: "moss", share: 60, by: "slope" },
    ),
  },
};
