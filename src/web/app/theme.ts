import { definePreset } from '@primeuix/themes';
import Aura from '@primeuix/themes/aura';

/** Exact greys (R = G = B) around the picture, one warm accent for what is chosen. */
const GREY = {
  0: '#ffffff',
  50: '#f7f7f7',
  100: '#ececec',
  200: '#dcdcdc',
  300: '#c2c2c2',
  400: '#9a9a9a',
  500: '#767676',
  600: '#5a5a5a',
  700: '#424242',
  800: '#2c2c2c',
  900: '#1e1e1e',
  950: '#141414',
};
const AMBER = {
  50: '#fdf6e7',
  100: '#faeac6',
  200: '#f4d58e',
  300: '#edbd55',
  400: '#e3a52b',
  500: '#c98a14',
  600: '#a56d0f',
  700: '#805210',
  800: '#5f3d11',
  900: '#432b0f',
  950: '#281908',
};

export const THEME = definePreset(Aura, {
  semantic: {
    primary: AMBER,
    colorScheme: {
      light: {
        surface: GREY,
        primary: { color: AMBER[600], contrastColor: '#ffffff', hoverColor: AMBER[700], activeColor: AMBER[800] },
      },
      dark: {
        surface: GREY,
        primary: { color: AMBER[400], contrastColor: '#141414', hoverColor: AMBER[300], activeColor: AMBER[200] },
      },
    },
  },
});
