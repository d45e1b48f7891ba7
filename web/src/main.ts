import '@fontsource-variable/hanken-grotesk';
import '@fontsource-variable/jetbrains-mono';
import { mount } from 'svelte';
import App from './shell/App.svelte';
import './app.css';

mount(App, { target: document.getElementById('app')! });
