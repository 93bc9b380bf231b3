declare module "pdfmake/fonts/Roboto.js" {
  const fonts: import("pdfmake/interfaces.js").TFontDictionary;
  export default fonts;
}
