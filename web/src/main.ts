import '@fontsource/ibm-plex-sans/400.css';
import '@fontsource/ibm-plex-sans/500.css';
import '@fontsource/ibm-plex-sans/600.css';
import '@fontsource/ibm-plex-mono/400.css';
import '@fontsource/ibm-plex-mono/500.css';
import 'element-plus/dist/index.css';
import './theme/theme.css';
import './theme/controls.css';
import { createPinia } from 'pinia';
import { createApp } from 'vue';
import { z } from 'zod';
import App from './app.vue';
import { router } from './router.ts';

// The page's content security policy allows no code made from text, so Zod must not try.
z.config({ jitless: true });

createApp(App).use(createPinia()).use(router).mount('#app');
