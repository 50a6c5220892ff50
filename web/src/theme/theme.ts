import { createTheme, type MantineColorsTuple } from "@mantine/core";

const sea: MantineColorsTuple = [
  "#eaf4f5",
  "#d3e5e7",
  "#a9cbcf",
  "#7cb0b6",
  "#5799a1",
  "#3e8b94",
  "#2d7a84",
  "#1f6570",
  "#15525c",
  "#083f49",
];

export const theme = createTheme({
  fontFamily: '"Source Serif 4 Variable", Georgia, serif',
  headings: { fontFamily: '"Source Serif 4 Variable", Georgia, serif', fontWeight: "500" },
  primaryColor: "sea",
  primaryShade: 7,
  colors: { sea },
  defaultRadius: 2,
  fontSizes: { xs: "0.8125rem", sm: "0.9375rem", md: "1.0625rem", lg: "1.25rem", xl: "1.6rem" },
  autoContrast: true,
});
