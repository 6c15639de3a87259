create schema if not exists slipway;
create schema if not exists ballast;

create table if not exists slipway.organisation (
    id text primary key,
    name text not null,
    phone_main text,
    email text,
    website text,
    street text,
    town text,
    postcode text,
    country text,
    segment text,
    tags text[] not null default '{}',
    payment_terms text,
    vat_number text,
    external_reference text,
    version int not null default 1,
    created_at timestamptz not null,
    updated_at timestamptz not null,
    updated_by text not null
);
create index if not exists organisation_updated on slipway.organisation (updated_at, id);
create index if not exists organisation_reference on slipway.organisation (external_reference);
create sequence if not exists slipway.organisation_number start 4001;

create table if not exists ballast.customer (
    customer_no text primary key,
    customer_name text not null,
    telephone_no text,
    email text,
    street text,
    city text,
    post_code text,
    country_code text not null,
    payment_terms_code text,
    tax_registration_no text,
    credit_limit numeric(12, 2),
    blocked boolean not null default false,
    external_reference text,
    version int not null default 1,
    changed_on timestamptz not null,
    changed_by text not null
);
create index if not exists customer_changed on ballast.customer (changed_on, customer_no);
create sequence if not exists ballast.customer_number start 20001;
