import { Button, PasswordInput, TextInput } from "@mantine/core";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { useNavigate, useParams } from "react-router";
import { ApiError, api, told } from "../api/client";
import classes from "./Account.module.css";

/** The page behind an invitation link: a name and a password, and the household is yours too. */
export function Join() {
  const { token = "" } = useParams();
  const client = useQueryClient();
  const go = useNavigate();
  const [username, setUsername] = useState("");
  const [password, setPassword] = useState("");
  const join = useMutation({
    mutationFn: () => told(api.POST("/api/join", { body: { token, username, password } })),
    onSuccess: async () => {
      await client.invalidateQueries();
      go("/");
    },
  });
  const wrong = join.error instanceof ApiError ? join.error.byField : {};
  return (
    <main className={classes.page}>
      <h1>Welcome to Moon Plan</h1>
      <p>
        This link works once. Choose how you sign in from now on; then we draw your house, from the supply to the cars.
      </p>
      {wrong.token && <p role="alert">This link is spent: expected {wrong.token}.</p>}
      <form
        onSubmit={(event: FormEvent) => {
          event.preventDefault();
          join.mutate();
        }}
      >
        <TextInput
          label="Name"
          autoComplete="username"
          required
          error={wrong.username && `Expected ${wrong.username}`}
          value={username}
          onChange={(event) => setUsername(event.currentTarget.value)}
        />
        <PasswordInput
          label="Password"
          description="Ten characters or more"
          autoComplete="new-password"
          required
          error={wrong.password}
          value={password}
          onChange={(event) => setPassword(event.currentTarget.value)}
        />
        <Button type="submit" loading={join.isPending}>
          Make the account
        </Button>
      </form>
    </main>
  );
}
