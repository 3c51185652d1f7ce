declare module 'virtual:guide' {
  const guide: { html: string; chapters: { anchor: string; says: string }[] }
  export default guide
}
