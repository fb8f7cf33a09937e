ALTER TABLE "proof_run" DISABLE ROW LEVEL SECURITY;--> statement-breakpoint
DROP TABLE "proof_run" CASCADE;--> statement-breakpoint
ALTER TABLE "asset" ALTER COLUMN "data" DROP NOT NULL;