-- The two roles of Dogana, and its database. Run once by a superuser:
--   psql --set=owner_password=... --set=application_password=... --file=roles.sql
-- `dogana migrate` gives the second role its rights: it owns nothing, and can neither change nor delete
-- an entry of the ledger.
\set ON_ERROR_STOP on
CREATE ROLE dogana_owner LOGIN PASSWORD :'owner_password';
CREATE ROLE dogana_app LOGIN PASSWORD :'application_password';
CREATE DATABASE dogana OWNER dogana_owner ENCODING 'UTF8' TEMPLATE template0;
REVOKE ALL ON DATABASE dogana FROM PUBLIC;
GRANT CONNECT ON DATABASE dogana TO dogana_app;
\connect dogana
REVOKE CREATE ON SCHEMA public FROM PUBLIC;
GRANT CREATE ON SCHEMA public TO dogana_owner;
