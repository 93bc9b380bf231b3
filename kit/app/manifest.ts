import type { Feature } from "../features/feature.ts";

/** What a device has to know to install the application, as the web app manifest standard has it. */
export const manifest: Feature = {
  routes: [
    {
      method: "GET",
      path: "/-/manifest.json",
      needs: "nothing",
      answer: (c, { settings, language }) => {
        const { name, color } = settings;
        const content = {
          name,
          short_name: name.slice(0, 30),
          lang: language,
          id: "/",
          start_url: "/",
          scope: "/",
          display: "standalone",
          ...(color && { theme_color: color, background_color: "#f7f5f0" }),
          icons: [{ src: "/-/assets/icon.svg", sizes: "any", type: "image/svg+xml" }],
        };
        return c.body(JSON.stringify(content), 200, {
          "content-type": "application/manifest+json",
          "cache-control": "no-cache",
        });
      },
    },
  ],
};
