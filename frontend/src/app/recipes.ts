import { defineRecipe, defineSlotRecipe } from '@chakra-ui/react'
import {
  checkboxAnatomy,
  comboboxAnatomy,
  editableAnatomy,
  emptyStateAnatomy,
  fieldAnatomy,
  nativeSelectAnatomy,
  progressAnatomy,
  radioGroupAnatomy,
  tableAnatomy,
  tooltipAnatomy,
} from '@chakra-ui/react/anatomy'

/**
 * How the ordinary controls look on the ruled sheet: ink lines, square corners, no shadow, prose
 * in the serif. They change Chakra's own recipes under its own names of variants, so that the
 * components stay typed without a generating step; `shared/ui` gives them our words.
 */

/** What is reached by Tab has a moss frame, everywhere the same. */
const focused = {
  outline: '2px solid var(--moss)',
  outlineOffset: '2px',
  '--ring-width': '0px',
} as const

/** Letters as large as those around them: Chakra's sizes bring a size of letters too. */
const ofItsPlace = { fontSize: 'inherit', lineHeight: 'inherit' } as const

const underlined = {
  height: 'auto',
  minHeight: '0',
  px: '2px',
  py: '2px',
  bg: 'transparent',
  color: 'inherit',
  fontSize: 'inherit',
  lineHeight: 'inherit',
  borderTopWidth: '0',
  borderInlineWidth: '0',
  borderBottomWidth: '1px',
  borderBottomColor: 'border.emphasized',
  _focusVisible: focused,
  _invalid: { borderBottomColor: 'var(--red)' },
} as const

const button = defineRecipe({
  base: {
    fontWeight: 'inherit',
    fontFamily: 'inherit',
    lineHeight: 'inherit',
    transitionProperty: 'none',
    cursor: 'pointer',
    _disabled: { opacity: 1, color: 'fg.muted', cursor: 'default' },
    _focusVisible: focused,
  },
  variants: {
    size: {
      md: { h: 'auto', minW: '0', px: '0', py: '0', gap: '1', ...ofItsPlace },
    },
    variant: {
      // words that act: nothing but the words
      plain: { color: 'inherit', borderWidth: '0' },
      // words in a sentence that act
      ghost: {
        color: 'inherit',
        borderWidth: '0',
        whiteSpace: 'normal',
        textAlign: 'start',
        textDecoration: 'underline',
        textUnderlineOffset: '2px',
        _hover: { bg: 'transparent', color: 'colorPalette.fg' },
        _expanded: { bg: 'transparent' },
      },
      outline: {
        borderColor: 'border.emphasized',
        bg: 'bg.panel',
        color: 'fg',
        px: '14px',
        py: '6px',
        fontWeight: '500',
        _hover: { bg: 'bg.muted' },
        _disabled: { borderColor: 'border' },
      },
      solid: { px: '14px', py: '6px', fontWeight: '500', _disabled: { bg: 'bg.muted' } },
    },
  },
})

const link = defineRecipe({
  base: {
    color: 'inherit',
    fontWeight: 'inherit',
    textDecoration: 'underline',
    textUnderlineOffset: '2px',
    textDecorationColor: 'currentColor',
    transitionProperty: 'none',
    _focusVisible: focused,
  },
  variants: { variant: { plain: { color: 'inherit' } } },
})

const input = defineRecipe({
  variants: {
    size: { md: { '--input-height': 'auto', ...ofItsPlace } },
    variant: { outline: underlined },
  },
})

const field = defineSlotRecipe({
  slots: fieldAnatomy.keys(),
  base: {
    root: { gap: '2px' },
    label: { ...ofItsPlace, fontWeight: '500' },
    errorText: { color: 'var(--red)', fontSize: '12px', fontWeight: '400' },
    helperText: { fontSize: '12px' },
  },
})

const nativeSelect = defineSlotRecipe({
  slots: nativeSelectAnatomy.keys(),
  base: {
    root: { display: 'inline-flex', width: 'auto', verticalAlign: 'baseline' },
    indicator: { width: '12px', insetEnd: '2px' },
  },
  variants: {
    variant: { outline: { field: { ...underlined, pe: '18px', cursor: 'pointer' } } },
    size: { md: { root: { '--select-field-height': 'auto' }, field: ofItsPlace } },
  },
})

const mark = {
  width: '14px',
  height: '14px',
  borderColor: 'border.emphasized',
  bg: 'transparent',
  '&:is([data-state=checked], [data-state=indeterminate])': {
    bg: 'colorPalette.solid',
    borderColor: 'colorPalette.solid',
    color: 'colorPalette.contrast',
  },
} as const

const checkbox = defineSlotRecipe({
  slots: checkboxAnatomy.keys(),
  base: {
    root: { cursor: 'pointer', alignItems: 'baseline' },
    control: { position: 'relative', top: '2px' },
    label: { fontWeight: '400' },
  },
  variants: {
    size: { md: { root: { gap: '8px' }, label: ofItsPlace, control: mark } },
  },
})

const radioGroup = defineSlotRecipe({
  slots: radioGroupAnatomy.keys(),
  base: {
    item: {
      display: 'flex',
      alignItems: 'baseline',
      cursor: 'pointer',
      py: '2px',
      fontWeight: '400',
    },
    // a square with a square in it: the sheet has no round corners, and no pills
    itemControl: { position: 'relative', top: '2px' },
  },
  variants: {
    size: { md: { item: { ...ofItsPlace, gap: '8px' }, itemControl: mark } },
  },
})

const combobox = defineSlotRecipe({
  slots: comboboxAnatomy.keys(),
  base: {
    input: { fontFamily: 'heading', fontStyle: 'italic' },
    content: {
      width: '420px',
      maxH: 'min(620px, calc(100vh - 90px))',
      borderWidth: '1px',
      borderColor: 'border.emphasized',
      p: '0',
      gap: '0',
      animation: 'none',
    },
    itemGroup: { pb: '0' },
    itemGroupLabel: {
      px: '12px',
      pt: '10px',
      pb: '3px',
      fontFamily: 'heading',
      fontStyle: 'italic',
      fontSize: '15px',
      fontWeight: '400',
      color: 'fg.muted',
      borderBottomWidth: '1px',
      borderColor: 'border',
    },
    item: {
      display: 'grid',
      gridTemplateColumns: '104px 1fr',
      gap: '12px',
      px: '12px',
      py: '5px',
      cursor: 'pointer',
      borderBottomWidth: '1px',
      borderColor: 'border',
      _highlighted: { bg: 'bg.muted' },
    },
    empty: { p: '12px', color: 'fg.muted' },
  },
  variants: {
    variant: {
      flushed: {
        input: {
          ...underlined,
          px: '4px',
          py: '4px',
          pe: '20px',
          _focusVisible: { ...focused, outlineOffset: '4px' },
        },
      },
    },
    size: {
      md: {
        root: { '--combobox-input-height': 'auto', '--combobox-input-padding-x': '4px' },
        input: { fontSize: '16px', lineHeight: '1.4' },
        content: { ...ofItsPlace, p: '0' },
      },
    },
  },
})

const tooltip = defineSlotRecipe({
  slots: tooltipAnatomy.keys(),
  base: {
    content: {
      '--tooltip-bg': 'colors.bg.panel',
      color: 'fg',
      borderWidth: '1px',
      borderColor: 'border.emphasized',
      px: '8px',
      py: '4px',
      fontSize: '13px',
      fontWeight: '400',
      animation: 'none',
    },
  },
})

const editable = defineSlotRecipe({
  slots: editableAnatomy.keys(),
  base: {
    root: { width: 'auto', minWidth: '0', gap: '0' },
    preview: {
      p: '0',
      minH: '0',
      minWidth: '0',
      display: 'inline-block',
      overflow: 'hidden',
      textOverflow: 'ellipsis',
      whiteSpace: 'nowrap',
      transitionProperty: 'none',
      _focusVisible: focused,
    },
    input: { ...underlined, font: 'inherit', minWidth: '0' },
  },
  variants: {
    size: {
      md: { root: ofItsPlace, preview: { minH: '0' }, input: { minH: '0' } },
    },
  },
})

const progress = defineSlotRecipe({
  slots: progressAnatomy.keys(),
  base: { range: { transitionDuration: 'fast' } },
  variants: { size: { xs: { track: { h: '4px' } } } },
})

const emptyState = defineSlotRecipe({
  slots: emptyStateAnatomy.keys(),
  base: {
    content: { alignItems: 'flex-start', gap: '10px' },
    description: { ...ofItsPlace, fontFamily: 'heading', fontSize: '16px' },
  },
  variants: { size: { md: { root: { p: '0' }, content: { gap: '10px' } } } },
})

const table = defineSlotRecipe({
  slots: tableAnatomy.keys(),
  base: {
    columnHeader: { fontWeight: '400', color: 'fg.muted', whiteSpace: 'nowrap' },
    cell: { verticalAlign: 'baseline' },
  },
  variants: {
    variant: {
      line: { root: { bg: 'transparent' }, row: { bg: 'transparent' } },
    },
    size: {
      sm: {
        root: ofItsPlace,
        columnHeader: { px: '6px', py: '4px' },
        cell: { px: '6px', py: '5px' },
      },
    },
  },
})

export const recipes = { button, link, input }
export const slotRecipes = {
  field,
  nativeSelect,
  checkbox,
  radioGroup,
  combobox,
  tooltip,
  editable,
  progress,
  emptyState,
  table,
}
