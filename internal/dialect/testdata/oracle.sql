SET DEFINE OFF;
SET SQLBLANKLINES ON;
WHENEVER SQLERROR EXIT ROLLBACK;
CREATE TABLE museum.loan (
    loan_no                     number(10)                  NOT NULL,
    part                        varchar2(20 char)           NOT NULL,
    "order"                     number(5)                   DEFAULT -7,
    bigint_3                    number(19),
    decimal_4                   number(7,2)                 DEFAULT 1.50,
    decimal_5                   number(38,0)                DEFAULT 12345678901234567890123,
    double_6                    binary_double               DEFAULT 0.05,
    boolean_7                   number(1)                   DEFAULT 1,
    date_8                      date                        DEFAULT DATE '2026-01-05',
    date_9                      date                        DEFAULT DATE '2026-02-05',
    time_0                      varchar2(15)                DEFAULT '08:05:00',
    timestamp_1                 timestamp(6)                DEFAULT TIMESTAMP '2026-01-05 00:00:00',
    text_12                     clob                        DEFAULT (REPLACE('it''s|late', '|', CHR(10))),
    timestamp_with_time_zone_3  timestamp(6) with time zone DEFAULT TIMESTAMP '2026-01-05 08:00:00+00:00',
    char_4                      char(5 char),
    uuid_5                      char(36),
    varchar_6                   clob,
    PRIMARY KEY (loan_no, part)
);
COMMENT ON TABLE museum.loan IS 'Loans, it''s
all of them';
COMMENT ON COLUMN museum.loan.bigint_3 IS 'counts
by ''ones''';
CREATE INDEX loan_order_ix ON museum.loan ("order");
CREATE INDEX loan_date_9_text_12_ix ON museum.loan (date_9, text_12);
COMMIT;
ALTER TABLE museum.loan ADD PRIMARY KEY (loan_no, part);
-- loan_no, part, "order", bigint_3, decimal_4, decimal_5, double_6, boolean_7, date_8, date_9, time_0, timestamp_1, text_12, timestamp_with_time_zone_3, char_4, uuid_5, varchar_6
