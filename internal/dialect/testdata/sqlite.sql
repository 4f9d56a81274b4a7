BEGIN;
-- Loans, it's all of them
CREATE TABLE "museum.loan" (
    loan_no                     integer                  NOT NULL,
    part                        varchar(20)              NOT NULL,
    "order"                     smallint                 DEFAULT -7,
    bigint_3                    bigint,  -- counts by 'ones'
    decimal_4                   decimal(7,2)             DEFAULT 1.50,
    decimal_5                   text /* decimal(38,0) */ DEFAULT '12345678901234567890123',
    double_6                    double                   DEFAULT 0.05,
    boolean_7                   boolean                  DEFAULT 1,
    date_8                      date                     DEFAULT '2026-01-05',
    date_9                      date                     DEFAULT '2026-02-05',
    time_0                      time                     DEFAULT '08:05:00',
    timestamp_1                 timestamp                DEFAULT '2026-01-05 00:00:00',
    text_12                     text                     DEFAULT (REPLACE('it''s|late', '|', char(10))),
    timestamp_with_time_zone_3  timestamp with time zone DEFAULT '2026-01-05 08:00:00+00:00',
    char_4                      char(5),
    uuid_5                      char(36),
    varchar_6                   varchar(16000),
    PRIMARY KEY (loan_no, part)
);
CREATE INDEX "museum.loan_order_ix" ON "museum.loan" ("order");
CREATE INDEX "museum.loan_date_9_text_12_ix" ON "museum.loan" (date_9, text_12);
COMMIT;
ALTER TABLE "museum.loan" ADD PRIMARY KEY (loan_no, part);
-- loan_no, part, "order", bigint_3, decimal_4, decimal_5, double_6, boolean_7, date_8, date_9, time_0, timestamp_1, text_12, timestamp_with_time_zone_3, char_4, uuid_5, varchar_6
