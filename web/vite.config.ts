import tailwind from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

export default defineConfig({
  plugins: [react(), tailwind()],
  resolve: {
    alias: { "react-remove-scroll": new URL("./src/parts/RemoveScroll.tsx", import.meta.url).pathname },
  },
  build: { outDir: "../underkettle/server/web", emptyOutDir: true, chunkSizeWarningLimit: 1500 },
  server: { proxy: { "/api": "http://127.0.0.1:4173" } },
});
