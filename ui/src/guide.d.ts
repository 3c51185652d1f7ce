declare module 'virtual:guide' {
  const guide: { html: string; chapters: { anchor: string; says: string; job: string }[] }
  export default guide
}
