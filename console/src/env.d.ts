import 'vue'
declare module 'vue' {
  interface HTMLAttributes {
    [k: `data-${string}`]: unknown
  }
}
