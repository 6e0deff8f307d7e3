CREATE TABLE "installations" (
	"id" integer PRIMARY KEY NOT NULL,
	"signing_key" text NOT NULL,
	"login_round" integer DEFAULT 0 NOT NULL
);
