import { cleanup, configure } from "@testing-library/react";
import { afterEach, vi } from "vitest";

// What antd asks of a browser and jsdom lacks; it stays when a test takes its own stubs away.
Object.assign(globalThis, {
  matchMedia: (query: string) => ({
    matches: false,
    media: query,
    addEventListener: vi.fn(),
    removeEventListener: vi.fn(),
    addListener: vi.fn(),
    removeListener: vi.fn(),
  }),
  ResizeObserver: class {
    observe = vi.fn();
    unobserve = vi.fn();
    disconnect = vi.fn();
  },
});
Element.prototype.scrollIntoView = vi.fn();
// What it has of styles knows no pseudo-elements, and says so each time that it is asked for one.
const styleOf = window.getComputedStyle.bind(window);
window.getComputedStyle = (element) => styleOf(element);
// A machine that does other things beside takes longer to show what it was asked for. Whether something is hidden from readers of
// screens is asked of a browser (axe): here it would take a third of the time, for each element that is looked at.
configure({ asyncUtilTimeout: 5000, defaultHidden: true });
afterEach(cleanup);
