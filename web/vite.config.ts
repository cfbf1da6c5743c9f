import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [react()],
  build: {
    chunkSizeWarningLimit: 1200,
    rollupOptions: {
      input: { index: "index.html", viewer: "viewer.html" },
      output: {
        manualChunks(id: string) {
          if (/node_modules\/(antd|@ant-design|rc-|@rc-component)/.test(id)) return id.includes("@rc-component") || id.includes("/rc-") ? "controls" : "antd";
          if (id.includes("node_modules/three")) return "three";
          if (/node_modules.(@khronosgroup|fast-png|gl-matrix|jpeg-js|json-ptr|iobuffer|fflate|pako)/.test(id)) return "second_viewer";
          if (id.includes("node_modules")) return "vendor";
          return undefined;
        },
      },
    },
  },
  test: { environment: "jsdom", isolate: false, maxWorkers: 2, globals: false, setupFiles: ["src/testing.ts"], testTimeout: 20_000 },
  server: { proxy: { "/api": "http://127.0.0.1:8571" } },
});
