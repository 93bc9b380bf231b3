/** The same for tools that compile TSX for development. */
export { Fragment, jsx as jsxDEV } from "./jsx-runtime.ts";
