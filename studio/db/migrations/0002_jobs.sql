CREATE TABLE "job" (
	"id" text PRIMARY KEY NOT NULL,
	"kind" text NOT NULL,
	"title" text NOT NULL,
	"request" jsonb NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "job_item" (
	"job_id" text NOT NULL,
	"index" integer NOT NULL,
	"name" text NOT NULL,
	"state" text DEFAULT 'waits' NOT NULL,
	"attempts" integer DEFAULT 0 NOT NULL,
	"worker" text,
	"result" jsonb,
	"error" text,
	"file_name" text,
	"file" "bytea",
	"changed_at" timestamp with time zone DEFAULT now() NOT NULL,
	CONSTRAINT "job_item_job_id_index_pk" PRIMARY KEY("job_id","index")
);
--> statement-breakpoint
ALTER TABLE "job_item" ADD CONSTRAINT "job_item_job_id_job_id_fk" FOREIGN KEY ("job_id") REFERENCES "public"."job"("id") ON DELETE cascade ON UPDATE no action;