import { Button, PasswordInput, TextInput } from "@mantine/core";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { ApiError, api, told } from "../api/client";
import classes from "./Account.module.css";

export function SignIn() {
  const client = useQueryClient();
  const [username, setUsername] = useState("");
  const [password, setPassword] = useState("");
  const signIn = useMutation({
    mutationFn: () => told(api.POST("/api/session", { body: { username, password } })),
    onSuccess: () => client.invalidateQueries(),
  });
  const wrong = signIn.error instanceof ApiError ? `Expected ${signIn.error.byField.password}.` : undefined;
  return (
    <main className={classes.page}>
      <h1>Moon Plan</h1>
      <p>Which car to plug in tonight, where, at what current, from when to when.</p>
      <form
        onSubmit={(event: FormEvent) => {
          event.preventDefault();
          signIn.mutate();
        }}
      >
        <TextInput
          label="Name"
          autoComplete="username"
          required
          value={username}
          onChange={(event) => setUsername(event.currentTarget.value)}
        />
        <PasswordInput
          label="Password"
          autoComplete="current-password"
          required
          error={wrong}
          value={password}
          onChange={(event) => setPassword(event.currentTarget.value)}
        />
        <Button type="submit" loading={signIn.isPending}>
          Sign in
        </Button>
      </form>
      <p className={classes.hint}>No account yet? The program prints a link for the first person when it starts.</p>
    </main>
  );
}
