import '@fontsource-variable/hanken-grotesk'
import 'element-plus/dist/index.css'
import './styles.css'
import { createPinia } from 'pinia'
import { createApp } from 'vue'
import App from './App.vue'
import { router } from './router.js'

createApp(App).use(createPinia()).use(router).mount('#app')
