/** How Chakra's components are dressed here: dense, for eight hours a day. Sizes in pixels stand here and nowhere else. */
import { defineRecipe, defineSlotRecipe } from "@chakra-ui/react";
import {
  accordionAnatomy,
  checkboxAnatomy,
  dialogAnatomy,
  menuAnatomy,
  popoverAnatomy,
  progressAnatomy,
  ratingGroupAnatomy,
  segmentGroupAnatomy,
  selectAnatomy,
  sliderAnatomy,
  splitterAnatomy,
  switchAnatomy,
  tableAnatomy,
  tabsAnatomy,
  toastAnatomy,
  tooltipAnatomy,
  treeViewAnatomy,
} from "@chakra-ui/react/anatomy";

const button = defineRecipe({
  // colours change at once: a button half way between two looks can be read in neither
  base: {
    gap: "7px",
    borderRadius: "8px",
    fontWeight: 500,
    color: "chalk",
    transitionProperty: "none",
    lineHeight: "1.4",
    _disabled: { opacity: 0.45, cursor: "default" },
  },
  variants: {
    variant: {
      /** The amber one of a stage. */
      solid: { bg: "amber", color: "onAmber", borderColor: "amber", fontWeight: 650, _hover: { borderColor: "chalk" } },
      outline: {
        bg: "raised",
        color: "chalk",
        borderColor: "line",
        _hover: { borderColor: "glass" },
        _pressed: { bg: "amberSoft", color: "amber", borderColor: "amber" },
      },
      /** One that looks like what it stands in. */
      plain: {
        display: "inline-block",
        h: "auto",
        minH: 0,
        minW: 0,
        p: 0,
        gap: "5px",
        border: "none",
        borderRadius: "3px",
        color: "inherit",
        font: "inherit",
        textStyle: undefined,
        textAlign: "start",
        whiteSpace: "inherit",
        alignItems: "normal",
        justifyContent: "normal",
        cursor: "pointer",
        _hover: { color: "amber" },
      },
      /** One that stands among words. */
      ghost: {
        bg: "transparent",
        color: "chalk",
        _hover: { borderColor: "glass" },
        _pressed: { bg: "amberSoft", color: "amber", borderColor: "amber" },
      },
    },
    size: {
      sm: { h: "auto", minH: "28px", minW: 0, px: "11px", py: "4px", gap: "7px", fontSize: "13px", textStyle: undefined },
      /** A number that is typed when it is pressed. */
      "2xs": {
        h: "20px",
        color: "chalk",
        minW: 0,
        px: 0,
        py: 0,
        fontSize: "12px",
        textStyle: undefined,
        fontFamily: "mono",
        fontWeight: 400,
        cursor: "text",
      },
      xs: { h: "auto", minW: 0, px: "5px", py: "2px", gap: "6px", fontSize: "13px", textStyle: undefined },
    },
  },
  defaultVariants: { variant: "outline", size: "sm" },
});

const kbd = defineRecipe({
  base: { fontSize: "10px", lineHeight: "15px", height: "auto", px: "4px", borderRadius: "4px", border: "1px solid", bg: "transparent" },
  variants: {
    variant: {
      outline: { color: "dim", borderColor: "line" },
      /** On the main button. */
      plain: { color: "onAmber", borderColor: "onAmber" },
    },
    size: { sm: { fontSize: "10px", height: "auto", textStyle: undefined } },
  },
  defaultVariants: { variant: "outline", size: "sm" },
});

const line = { bg: "ground", border: "1px solid", borderColor: "line", borderRadius: "6px" };

const input = defineRecipe({
  base: { ...line, color: "chalk", minH: "var(--input-height)", minW: 0, _placeholder: { color: "dim" }, _hover: { borderColor: "glass" } },
  variants: {
    size: {
      sm: { "--input-height": "28px", px: "8px", fontSize: "13px", textStyle: undefined },
      /** A number in a line of text. */
      "2xs": {
        "--input-height": "20px",
        px: "4px",
        fontSize: "12px",
        textStyle: undefined,
        fontFamily: "mono",
        textAlign: "end",
        borderRadius: "4px",
      },
    },
  },
  defaultVariants: { size: "sm" },
});

const select = defineSlotRecipe({
  slots: selectAnatomy.keys(),
  base: {
    root: { width: "auto", minW: 0 },
    trigger: { ...line, gap: "6px", cursor: "pointer", _hover: { borderColor: "glass" }, _expanded: { borderColor: "amber" } },
    valueText: { maxW: "none", pe: "14px", lineClamp: "1" },
    content: { border: "1px solid", borderColor: "line", bg: "raised", minW: "var(--reference-width)", maxH: "360px" },
    item: { cursor: "pointer", _highlighted: { bg: "line" }, _checked: { color: "amber" } },
    label: { srOnly: true },
  },
  variants: {
    size: {
      sm: {
        root: { "--select-trigger-height": "26px", "--select-trigger-padding-x": "7px" },
        trigger: { fontSize: "12px", textStyle: undefined },
        content: { p: "4px", fontSize: "12px", textStyle: undefined },
        item: { py: "4px", px: "8px" },
        indicator: { _icon: { width: "12px", height: "12px" } },
      },
    },
  },
  defaultVariants: { size: "sm" },
});

const segmentGroup = defineSlotRecipe({
  slots: segmentGroupAnatomy.keys(),
  base: {
    root: { minW: 0, flexWrap: "wrap", bg: "raised", borderRadius: "6px", boxShadow: "none" },
    item: {
      cursor: "pointer",
      fontFamily: "mono",
      color: "chalk",
      borderRadius: "6px",
      _before: { display: "none" },
      _checked: { bg: "amber", color: "onAmber", fontWeight: 650 },
      _hover: { color: "glass", _checked: { color: "onAmber" } },
    },
  },
  variants: { size: { xs: { item: { fontSize: "11px", textStyle: undefined, px: "8px", py: "3px", height: "auto" } } } },
  defaultVariants: { size: "xs" },
});

const slider = defineSlotRecipe({
  slots: sliderAnatomy.keys(),
  base: {
    root: { gap: 0, cursor: "ew-resize" },
    track: { bg: "line" },
    range: { bg: "glass" },
    thumb: { bg: "chalk", border: "none", _focusVisible: { outline: "2px solid", outlineColor: "amber", outlineOffset: "1px" } },
  },
  variants: {
    size: { sm: { root: { "--slider-thumb-size": "11px", "--slider-track-size": "3px" }, control: { minHeight: "16px" } } },
    variant: { solid: { track: { bg: "line" }, range: { bg: "glass" }, thumb: { bg: "chalk" } } },
  },
  defaultVariants: { size: "sm", variant: "solid" },
});

const checkbox = defineSlotRecipe({
  slots: checkboxAnatomy.keys(),
  base: {
    root: { gap: "7px", cursor: "pointer" },
    control: {
      width: "15px",
      height: "15px",
      borderRadius: "4px",
      border: "1px solid",
      borderColor: "dim",
      _icon: { width: "11px", height: "11px" },
    },
    label: { fontWeight: 400 },
  },
});

const dialog = defineSlotRecipe({
  slots: dialogAnatomy.keys(),
  base: {
    backdrop: { bg: "ground/70" },
    content: { border: "1px solid", borderColor: "line", borderRadius: "12px", bg: "sheet", color: "chalk" },
    header: { alignItems: "center", justifyContent: "space-between" },
    title: { fontFamily: "heading", fontSize: "19px", fontWeight: 650 },
  },
});

const ratingGroup = defineSlotRecipe({
  slots: ratingGroupAnatomy.keys(),
  base: {
    control: { gap: "3px" },
    item: {
      w: "18px",
      h: "18px",
      borderRadius: "5px",
      fontFamily: "mono",
      cursor: "pointer",
      bg: "ground",
      color: "dim",
      "&[data-highlighted]": { bg: "glassDeep", color: "chalk" },
    },
  },
  variants: { size: { md: { item: { fontSize: "11px", textStyle: undefined } } } },
});

const toast = defineSlotRecipe({
  slots: toastAnatomy.keys(),
  base: {
    root: {
      w: "auto",
      maxW: "760px",
      mx: "auto",
      alignItems: "center",
      gap: "12px",
      py: "8px",
      ps: "14px",
      pe: "14px",
      borderRadius: "9px",
      border: "1px solid",
      borderColor: "glass",
      bg: "raised",
      color: "chalk",
      boxShadow: "md",
      // half faded out it could be read no more, and would still be there to be read
      transition: "none",
      _closed: { transition: "none" },
      "&[data-type=error]": { bg: "raised", color: "coral", borderColor: "coral" },
    },
    description: { fontSize: "13px", textStyle: undefined, opacity: 1 },
    actionTrigger: {
      fontSize: "13px",
      textStyle: undefined,
      height: "auto",
      px: "9px",
      py: "2px",
      borderColor: "amber",
      color: "amber",
      cursor: "pointer",
    },
  },
});

const popover = defineSlotRecipe({
  slots: popoverAnatomy.keys(),
  base: {
    content: { w: "auto", bg: "raised", border: "1px solid", borderColor: "line", borderRadius: "8px", boxShadow: "md", fontSize: "12px" },
    body: { p: "10px" },
  },
});

const menu = defineSlotRecipe({
  slots: menuAnatomy.keys(),
  base: {
    content: { bg: "raised", border: "1px solid", borderColor: "line", borderRadius: "8px", boxShadow: "md", minW: "180px" },
    item: { cursor: "pointer", borderRadius: "5px", _highlighted: { bg: "line" } },
  },
  variants: {
    size: { sm: { content: { p: "4px" }, item: { px: "9px", py: "5px", fontSize: "13px", textStyle: undefined } } },
  },
  defaultVariants: { size: "sm" },
});

const tabs = defineSlotRecipe({
  slots: tabsAnatomy.keys(),
  base: {
    list: { gap: "4px", borderBottom: "1px solid", borderColor: "line", pb: "8px" },
    trigger: {
      h: "auto",
      minW: 0,
      px: "9px",
      py: "3px",
      borderRadius: "6px",
      color: "dim",
      fontWeight: 550,
      cursor: "pointer",
      _hover: { color: "chalk" },
      _selected: { bg: "raised", color: "amber" },
    },
    content: { display: "flex", flexDirection: "column", gap: "8px", pt: "8px" },
  },
  variants: {
    size: { sm: { trigger: { h: "auto", minW: 0, px: "9px", py: "3px", fontSize: "13px", textStyle: undefined }, content: { p: 0, pt: "8px" } } },
    variant: { plain: {} },
  },
  defaultVariants: { size: "sm", variant: "plain" },
});

const progress = defineSlotRecipe({
  slots: progressAnatomy.keys(),
  base: { track: { bg: "line", boxShadow: "none" }, range: { bg: "glass" } },
  variants: { size: { xs: { track: { h: "5px" } } } },
  defaultVariants: { size: "xs" },
});

const turn = defineSlotRecipe({
  slots: switchAnatomy.keys(),
  base: {
    root: { flexShrink: 0 },
    control: { bg: "line", cursor: "pointer", _checked: { bg: "glass" } },
    thumb: { bg: "chalk", _checked: { bg: "ground" } },
  },
  variants: { size: { xs: { root: { "--switch-width": "22px", "--switch-height": "12px" } } } },
  defaultVariants: { size: "xs" },
});

const tooltip = defineSlotRecipe({
  slots: tooltipAnatomy.keys(),
  base: {
    content: {
      "--tooltip-bg": "{colors.raised}",
      bg: "raised",
      color: "chalk",
      border: "1px solid",
      borderColor: "line",
      borderRadius: "7px",
      px: "8px",
      py: "4px",
      fontSize: "12px",
      fontWeight: 400,
      lineHeight: 1.4,
      textStyle: undefined,
      maxW: "320px",
      boxShadow: "md",
      pointerEvents: "none",
    },
  },
});

const accordion = defineSlotRecipe({
  slots: accordionAnatomy.keys(),
  base: {
    item: { border: "none" },
    itemTrigger: { color: "dim", cursor: "pointer", borderRadius: "3px", justifyContent: "space-between", _hover: { color: "chalk" } },
    itemIndicator: { _icon: { width: "12px", height: "12px" } },
    // what is folded away must not be half there while it goes
    itemContent: { animation: "none !important" },
  },
  variants: {
    size: { sm: { itemTrigger: { fontSize: "12px", textStyle: undefined, py: "1px", px: 0, fontWeight: 400 }, itemBody: { p: 0 } } },
    variant: { plain: { itemContent: { p: 0 }, itemBody: { p: 0 } } },
  },
  defaultVariants: { size: "sm", variant: "plain" },
});

/** Dense rows, each as deep as it stands in the tree. */
const treeView = defineSlotRecipe({
  slots: treeViewAnatomy.keys(),
  base: {
    root: { gap: 0 },
    tree: { gap: 0 },
    branchControl: { cursor: "pointer", _hover: { bg: "raised" } },
    item: { cursor: "pointer", _hover: { bg: "raised" } },
    branchTrigger: { color: "dim", cursor: "pointer", w: "14px", justifyContent: "center" },
    branchContent: { animation: "none !important" },
  },
  variants: {
    size: {
      md: {
        tree: {
          fontSize: "13px",
          textStyle: undefined,
          "--tree-indent-size": "11px",
          "--tree-indentation": "11px",
          "--tree-padding-inline": "0px",
          "--tree-padding-block": "1px",
          "--tree-icon-size": "12px",
          "--tree-item-gap": "2px",
        },
      },
    },
  },
});

/** An edge between panes: a line, amber while it is looked for. It has its own few pixels: what lies at the edge of a pane is to be grabbed too. */
const splitter = defineSlotRecipe({
  slots: splitterAnatomy.keys(),
  base: {
    resizeTrigger: {
      "--splitter-border-color": "{colors.line}",
      "--splitter-thumb-size": "5px",
      "--splitter-thumb-inset": "0px",
      _hover: { "--splitter-border-color": "{colors.amber}" },
      _focus: { "--splitter-border-color": "{colors.line}" },
      _focusVisible: { "--splitter-border-color": "{colors.amber}", outline: "none" },
      _dragging: { "--splitter-border-color": "{colors.amber}" },
    },
  },
});

export const recipes = { button, kbd, input };
const table = defineSlotRecipe({
  slots: tableAnatomy.keys(),
  base: {
    root: { fontVariantNumeric: "normal" },
    row: { bg: "transparent" },
    cell: { borderColor: "line" },
    columnHeader: { color: "dim", bg: "ground", fontWeight: 500, borderColor: "line" },
  },
  variants: {
    size: { sm: { root: { fontSize: "12px", textStyle: undefined }, columnHeader: { px: "5px", py: "2px" }, cell: { px: "5px", py: "3px" } } },
  },
  defaultVariants: { size: "sm" },
});

export const slotRecipes = {
  table,
  select,
  segmentGroup,
  slider,
  checkbox,
  dialog,
  ratingGroup,
  toast,
  popover,
  menu,
  tabs,
  progress,
  splitter,
  switch: turn,
  tooltip,
  accordion,
  treeView,
};
