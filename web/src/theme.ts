import type { ThemeConfig } from "antd";

/** Everything that gives Fenrain its look: quiet paper, one accent, one neutral grey for pictures. */
export const palette = {
  paper: "#f5f3ee",
  sheet: "#fdfcfa",
  chosen: "#e6efee",
  bar: "#ece8df",
  ink: "#22262a",
  faded: "#5b6167",
  rule: "#dcd8cf",
  accent: "#0d5f66",
  well: "#767676",
} as const;

export const faces = {
  text: '"Atkinson Hyperlegible Next Variable", system-ui, sans-serif',
  number: '"Atkinson Hyperlegible Mono Variable", ui-monospace, monospace',
} as const;

export const theme: ThemeConfig = {
  token: {
    colorPrimary: palette.accent,
    colorInfo: palette.accent,
    colorLink: palette.accent,
    colorText: palette.ink,
    colorTextSecondary: palette.faded,
    colorTextTertiary: palette.faded,
    colorTextDescription: palette.faded,
    colorTextPlaceholder: palette.faded,
    colorBgLayout: palette.paper,
    colorBgContainer: palette.sheet,
    colorBorderSecondary: palette.rule,
    fontFamily: faces.text,
    fontFamilyCode: faces.number,
    fontSize: 14,
    borderRadius: 3,
    controlHeight: 30,
    // The library waits for the end of its animations, which never comes where page.css takes them away.
    motion: !matchMedia("(prefers-reduced-motion: reduce)").matches,
  },
  components: {
    Layout: { headerBg: palette.sheet, headerHeight: 48, headerPadding: "0 20px", bodyBg: palette.paper },
    Table: {
      cellPaddingBlockSM: 6,
      rowSelectedBg: palette.sheet,
      rowSelectedHoverBg: palette.chosen,
      rowHoverBg: palette.chosen,
    },
  },
};

/** The same colours and faces for page.css, as custom properties of the page. */
export function dress(page: HTMLElement): void {
  for (const [name, value] of Object.entries({ ...palette, "text-face": faces.text, "number-face": faces.number })) {
    page.style.setProperty(`--${name}`, value);
  }
}
