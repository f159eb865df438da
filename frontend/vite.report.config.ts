import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { fileURLToPath } from "node:url";
import { defineConfig, type Plugin } from "vite";

/** Everything that a page asks for is written into it, so that one file opens anywhere. */
function inOneFile(): Plugin {
  return {
    name: "in one file",
    enforce: "post",
    generateBundle(_, bundle) {
      const page = Object.values(bundle).find((item) => item.fileName.endsWith(".html"));
      if (page?.type !== "asset") return;
      let text = String(page.source);
      const last: string[] = [];
      for (const item of Object.values(bundle)) {
        if (item === page) continue;
        if (item.type === "chunk") {
          // After the rest of the page: what is written into it is no module that waits.
          last.push(`<script>${item.code.replaceAll("</script", "<\\/script")}</script>`);
          text = text.replace(new RegExp(`<script[^>]*src="[^"]*${item.fileName}"[^>]*></script>`), "");
        } else if (item.fileName.endsWith(".css")) {
          const link = new RegExp(`<link[^>]*href="[^"]*${item.fileName}"[^>]*>`);
          text = text.replace(link, () => `<style>${String(item.source)}</style>`);
        }
        delete bundle[item.fileName];
      }
      page.source = text.replace("</body>", () => `${last.join("")}</body>`);
    },
  };
}

export default defineConfig({
  plugins: [react(), tailwindcss(), inOneFile()],
  resolve: { alias: { "@": fileURLToPath(new URL("./src", import.meta.url)) } },
  build: {
    outDir: "../skelb/web/static",
    emptyOutDir: false,
    assetsInlineLimit: 1_000_000,
    modulePreload: false,
    rollupOptions: { input: fileURLToPath(new URL("./report.html", import.meta.url)), output: { format: "iife" } },
  },
});
