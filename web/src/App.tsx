import { ActionIcon, useComputedColorScheme, useMantineColorScheme } from "@mantine/core";
import { IconMoon, IconSun } from "@tabler/icons-react";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { lazy, Suspense } from "react";
import { Navigate, NavLink, Route, Routes } from "react-router";
import classes from "./App.module.css";
import { Join } from "./account/Join";
import { SignIn } from "./account/SignIn";
import { api, told, type Who } from "./api/client";
import { DaysScreen } from "./days/DaysScreen";
import { HouseholdScreen } from "./household/HouseholdScreen";
import { RatesScreen } from "./rates/RatesScreen";
import { TonightScreen } from "./tonight/TonightScreen";

// The evening's screen comes first; what is looked at in the morning or monthly is fetched when it is asked for.
const LogScreen = lazy(() => import("./log/LogScreen").then((m) => ({ default: m.LogScreen })));
const PricesScreen = lazy(() => import("./prices/PricesScreen").then((m) => ({ default: m.PricesScreen })));
const SunScreen = lazy(() => import("./sun/SunScreen").then((m) => ({ default: m.SunScreen })));

export function App() {
  const who = useQuery({ queryKey: ["who"], queryFn: () => told(api.GET("/api/session")) });
  if (!who.data) return <p className={classes.waiting}>{who.error ? "The server does not answer." : "…"}</p>;
  return (
    <Routes>
      <Route path="/join/:token" element={<Join />} />
      <Route path="*" element={who.data.name ? <SignedIn who={who.data} /> : <SignIn />} />
    </Routes>
  );
}

function SignedIn({ who }: { who: Who }) {
  const client = useQueryClient();
  return (
    <>
      <a className={classes.skip} href="#main">
        Skip to the page
      </a>
      <header className={classes.header}>
        <span className={classes.name}>Moon Plan</span>
        <nav aria-label="Screens" className={classes.nav}>
          {who.set_up && <NavLink to="/">Tonight</NavLink>}
          {who.set_up && <NavLink to="/days">Days</NavLink>}
          {who.set_up && <NavLink to="/log">Log</NavLink>}
          {who.set_up && <NavLink to="/rates">Rates</NavLink>}
          {who.set_up && <NavLink to="/prices">Prices</NavLink>}
          {who.set_up && <NavLink to="/sun">Sun</NavLink>}
          <NavLink to="/household">{who.set_up ? "Household" : "First evening"}</NavLink>
        </nav>
        <span className={classes.house}>{who.household}</span>
        <SchemeSwitch />
        <button
          type="button"
          className={classes.plain}
          onClick={async () => {
            await told(api.DELETE("/api/session"));
            await client.invalidateQueries();
          }}
        >
          Sign out
        </button>
      </header>
      <main id="main" className={classes.main}>
        <Suspense fallback={<p>…</p>}>
          <Routes>
            <Route path="/" element={who.set_up ? <TonightScreen /> : <Navigate to="/household" replace />} />
            <Route path="/days" element={<DaysScreen />} />
            <Route path="/log" element={<LogScreen />} />
            <Route path="/rates" element={<RatesScreen />} />
            <Route path="/prices" element={<PricesScreen />} />
            <Route path="/sun" element={<SunScreen />} />
            <Route path="/household" element={<HouseholdScreen />} />
            <Route path="*" element={<p>There is no such page.</p>} />
          </Routes>
        </Suspense>
      </main>
    </>
  );
}

function SchemeSwitch() {
  const { setColorScheme } = useMantineColorScheme();
  const dark = useComputedColorScheme("light") === "dark";
  return (
    <ActionIcon
      variant="subtle"
      size="lg"
      aria-label={dark ? "Day colours" : "Night colours"}
      onClick={() => setColorScheme(dark ? "light" : "dark")}
    >
      {dark ? <IconSun size={18} /> : <IconMoon size={18} />}
    </ActionIcon>
  );
}
