import { createSystem, defaultConfig, defineConfig } from '@chakra-ui/react'
import { recipes, slotRecipes } from './recipes'

const pair = (light: string, dark: string) => ({ value: { _light: light, _dark: dark } })

/** Paper and dusk, as Chakra sees them; the same colours stand in sheet.css for what is drawn by hand. */
const config = defineConfig({
  conditions: { light: '[data-look=paper] &', dark: '[data-look=dusk] &' },
  theme: {
    recipes,
    slotRecipes,
    tokens: {
      fonts: {
        heading: { value: "'Source Serif 4', serif" },
        body: { value: "'Barlow', sans-serif" },
      },
      radii: Object.fromEntries(
        ['2xs', 'xs', 'sm', 'md', 'lg', 'xl', '2xl', '3xl', 'l1', 'l2', 'l3', 'full'].map((k) => [
          k,
          { value: '0' },
        ]),
      ),
      shadows: Object.fromEntries(
        ['2xs', 'xs', 'sm', 'md', 'lg', 'xl', '2xl'].map((k) => [k, { value: 'none' }]),
      ),
    },
    semanticTokens: {
      radii: { l1: { value: '0' }, l2: { value: '0' }, l3: { value: '0' } },
      shadows: Object.fromEntries(
        ['xs', 'sm', 'md', 'lg', 'xl', '2xl'].map((k) => [k, { value: 'none' }]),
      ),
      colors: {
        bg: {
          DEFAULT: pair('#fbf9f3', '#16201c'),
          panel: pair('#fbf9f3', '#16201c'),
          muted: pair('#e4eee2', '#203329'),
          subtle: pair('#f3f0e6', '#101815'),
          emphasized: pair('#e4eee2', '#203329'),
        },
        fg: {
          DEFAULT: pair('#1d2420', '#e9ebe0'),
          muted: pair('#566058', '#a3ada2'),
          subtle: pair('#566058', '#a3ada2'),
        },
        border: {
          DEFAULT: pair('#cfcabb', '#35423b'),
          emphasized: pair('#1d2420', '#e9ebe0'),
          muted: pair('#cfcabb', '#35423b'),
        },
        moss: {
          solid: pair('#1f6a43', '#8fd0a5'),
          contrast: pair('#fbf9f3', '#101815'),
          fg: pair('#1f6a43', '#8fd0a5'),
          muted: pair('#e4eee2', '#203329'),
          subtle: pair('#e4eee2', '#203329'),
          emphasized: pair('#cfe0cc', '#2b4637'),
          focusRing: pair('#1f6a43', '#8fd0a5'),
        },
      },
    },
  },
  globalCss: { html: { colorPalette: 'moss' } },
})

export const system = createSystem(defaultConfig, config)
