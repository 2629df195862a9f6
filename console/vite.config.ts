import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vite'

export default defineConfig({
  plugins: [vue()],
  build: {
    target: 'es2022',
    rolldownOptions: {
      output: {
        codeSplitting: { groups: [{ name: 'vue', test: /node_modules\/(@vue|vue|vue-router|@tanstack)\// }] },
      },
    },
  },
  server: { proxy: { '/api': 'http://127.0.0.1:8080' } },
})
