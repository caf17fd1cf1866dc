BEGIN TRANSACTION;
CREATE TABLE about (
	version INTEGER NOT NULL
);
INSERT INTO "about" VALUES(1);
CREATE TABLE deliveries (
	id INTEGER NOT NULL, 
	message_id INTEGER NOT NULL, 
	address TEXT NOT NULL, 
	state VARCHAR NOT NULL, 
	code INTEGER, 
	reply TEXT NOT NULL, 
	at VARCHAR, 
	attempts INTEGER NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(message_id) REFERENCES messages (id)
);
INSERT INTO "deliveries" VALUES(1,1,'f00042@members.tarnvale.example','sent',250,'taken','2026-11-29T02:46:56.541+00:00',1);
INSERT INTO "deliveries" VALUES(2,2,'f117@members.tarnvale.example','unsure',NULL,'connection lost before the answer','2026-11-29T02:46:56.548+00:00',1);
INSERT INTO "deliveries" VALUES(3,3,'f118@members.tarnvale.example','waiting',NULL,'',NULL,0);
INSERT INTO "deliveries" VALUES(4,4,'f119@members.tarnvale.example','refused',550,'no such box','2026-11-29T02:46:56.553+00:00',0);
INSERT INTO "deliveries" VALUES(5,5,'f120@members.tarnvale.example','handing',NULL,'',NULL,0);
CREATE TABLE documents (
	id INTEGER NOT NULL, 
	package_id INTEGER NOT NULL, 
	name TEXT NOT NULL, 
	report VARCHAR NOT NULL, 
	format VARCHAR NOT NULL, 
	sha256 VARCHAR(64) NOT NULL, 
	bytes INTEGER NOT NULL, 
	pages INTEGER, 
	rows INTEGER NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(package_id) REFERENCES packages (id)
);
INSERT INTO "documents" VALUES(1,1,'00042 statement.pdf','statement','pdf','4c3ea6e6b402d5a35ae93d753166dfe58cca44be320464194d71e08012a4c4f0',28702,1,1);
INSERT INTO "documents" VALUES(2,2,'117 statement.pdf','statement','pdf','d0f23040e0d3c1d26c5d3adc641d2087913487bafec18444715d4ae3834c95ee',28702,1,1);
INSERT INTO "documents" VALUES(3,3,'118 statement.pdf','statement','pdf','edc78e7e523bdbfa3157e45086957e82383c83730766d8850af48b873a572ad4',28703,1,1);
INSERT INTO "documents" VALUES(4,4,'119 statement.pdf','statement','pdf','84d6fd82fe216cd10871ea02c85aaa4752c4ef2bb9e963b6027a86f6158fafc1',28703,1,1);
INSERT INTO "documents" VALUES(5,5,'120 statement.pdf','statement','pdf','3fe3b7fdc3ea0f735f46bfdd21a8e7b17614c2a4ddcf03cc0c0267458aea3c4d',28703,1,1);
CREATE TABLE events (
	id INTEGER NOT NULL, 
	run_id INTEGER NOT NULL, 
	package_id INTEGER, 
	at VARCHAR NOT NULL, 
	what TEXT NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(run_id) REFERENCES runs (id), 
	FOREIGN KEY(package_id) REFERENCES packages (id)
);
INSERT INTO "events" VALUES(1,1,NULL,'2026-11-29T02:46:54.341+00:00','preparing');
INSERT INTO "events" VALUES(2,1,1,'2026-11-29T02:46:54.423+00:00','ready');
INSERT INTO "events" VALUES(3,1,2,'2026-11-29T02:46:54.425+00:00','ready');
INSERT INTO "events" VALUES(4,1,3,'2026-11-29T02:46:54.427+00:00','held: more than the tank holds');
INSERT INTO "events" VALUES(5,1,4,'2026-11-29T02:46:54.428+00:00','ready');
INSERT INTO "events" VALUES(6,1,5,'2026-11-29T02:46:54.430+00:00','ready');
INSERT INTO "events" VALUES(7,1,NULL,'2026-11-29T02:46:54.439+00:00','prepared');
INSERT INTO "events" VALUES(8,1,1,'2026-11-29T02:46:55.507+00:00','trial to me@tarnvale.example: sent');
INSERT INTO "events" VALUES(9,1,1,'2026-11-29T02:46:56.543+00:00','f00042@members.tarnvale.example: sent (250 taken)');
INSERT INTO "events" VALUES(10,1,2,'2026-11-29T02:46:56.548+00:00','f117@members.tarnvale.example: unsure (connection lost before the answer)');
INSERT INTO "events" VALUES(11,1,4,'2026-11-29T02:46:56.554+00:00','f119@members.tarnvale.example: refused (550 no such box)');
CREATE TABLE messages (
	id INTEGER NOT NULL, 
	package_id INTEGER NOT NULL, 
	message_id VARCHAR NOT NULL, 
	subject TEXT NOT NULL, 
	sender TEXT NOT NULL, 
	"to" JSON NOT NULL, 
	cc JSON NOT NULL, 
	bcc JSON NOT NULL, 
	sha256 VARCHAR(64) NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(package_id) REFERENCES packages (id), 
	UNIQUE (message_id)
);
INSERT INTO "messages" VALUES(1,1,'<3e1c0cf75f7d27626c08f55f006d4945@tarnvale.example>','Statement','statements@tarnvale.example','["f00042@members.tarnvale.example"]','[]','[]','42c30dd6f8c90af9e2f03321c663abb3c715eb83a8c34dc7ec0ad3afe7a7585d');
INSERT INTO "messages" VALUES(2,2,'<4d8132a49f0621871608b16631182a40@tarnvale.example>','Statement','statements@tarnvale.example','["f117@members.tarnvale.example"]','[]','[]','801697187e72698e9acb50c18268ba5c19a665be2d53f36257c5eff7fd2b8ebc');
INSERT INTO "messages" VALUES(3,3,'<7f741a3eba4e20837c0fe51c3b2bc8ae@tarnvale.example>','Statement','statements@tarnvale.example','["f118@members.tarnvale.example"]','[]','[]','cafda638853fb60b849957502888fe47d2aef9c01dda16f70d045f620f0b447f');
INSERT INTO "messages" VALUES(4,4,'<072d66fe8c1ae3789e391e0edd8c45bd@tarnvale.example>','Statement','statements@tarnvale.example','["f119@members.tarnvale.example"]','[]','[]','fe64f73a11efba0d14c5699865298a77774dbbd4990c8b5524988a9071a02577');
INSERT INTO "messages" VALUES(5,5,'<f9e2afc7c2bb93bb2ccfc5c97d5c8694@tarnvale.example>','Statement','statements@tarnvale.example','["f120@members.tarnvale.example"]','[]','[]','ac5ba54b417e644bbdb25616491ab08c908d649d22ff7f0ba548e8a6ddfa1549');
CREATE TABLE packages (
	id INTEGER NOT NULL, 
	run_id INTEGER NOT NULL, 
	"key" TEXT NOT NULL, 
	name TEXT NOT NULL, 
	state VARCHAR NOT NULL, 
	reason TEXT NOT NULL, 
	rows INTEGER NOT NULL, 
	figures JSON NOT NULL, 
	odd JSON NOT NULL, 
	seal VARCHAR(64) NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(run_id) REFERENCES runs (id)
);
INSERT INTO "packages" VALUES(1,1,'00042','Farm 00042','sent','',1,'{"rows": "1", "payable": "588.05"}','[]','6d48598091ce067c4c3413cef56d8c0015e60f92520ecdfc97a7cb1e5d8f45da');
INSERT INTO "packages" VALUES(2,1,'117','Farm 117','unsure','f117@members.tarnvale.example: connection lost before the answer',1,'{"rows": "1", "payable": "392.40"}','[]','a4b61d7b861b41fd60b6e9cc9d493e636cde90dd832b6791a4708cf951482b82');
INSERT INTO "packages" VALUES(3,1,'118','Farm 118','held','more than the tank holds',1,'{"rows": "1", "payable": "3136.00"}','[]','48617281a9beec05620e0a35fd0c98a56e58370ad2b47c0b3bfb27c90c79a886');
INSERT INTO "packages" VALUES(4,1,'119','Farm 119','failed','f119@members.tarnvale.example: no such box',1,'{"rows": "1", "payable": "10.00"}','[]','213d5b6148f10eb683f98c0c5993f00595c6b2eb1c74f686db5d6b71ecdd04e1');
INSERT INTO "packages" VALUES(5,1,'120','Farm 120','ready','',1,'{"rows": "1", "payable": "11.00"}','[]','a73076ec5e0198595f7c566cc4dbdda03f4ae45b30432a8dcd1438d73446d520');
CREATE TABLE runs (
	id INTEGER NOT NULL, 
	job VARCHAR NOT NULL, 
	title TEXT NOT NULL, 
	job_sha256 VARCHAR(64) NOT NULL, 
	state VARCHAR NOT NULL, 
	as_of VARCHAR(10) NOT NULL, 
	prepared VARCHAR NOT NULL, 
	seconds INTEGER NOT NULL, 
	parameters JSON NOT NULL, 
	account JSON NOT NULL, 
	findings JSON NOT NULL, 
	server VARCHAR, 
	reviewed VARCHAR, 
	PRIMARY KEY (id)
);
INSERT INTO "runs" VALUES(1,'statements','Milk statements','0b081564f586bbb590afdbc74890ef0229cc3220569cd36b266c196f525fb345','prepared','2026-11-05','2026-11-29T02:46:54.338+00:00',348,'{"period": "2026-10"}','{"read": 5, "delivered": 4, "withheld": {"rule": 1}, "controls": [{"column": "amount", "whole": "4137.45", "delivered": "1001.45", "withheld": "3136.00"}]}','[]','office',NULL);
CREATE TABLE trials (
	id INTEGER NOT NULL, 
	message_id INTEGER NOT NULL, 
	address TEXT NOT NULL, 
	state VARCHAR NOT NULL, 
	code INTEGER, 
	reply TEXT NOT NULL, 
	at VARCHAR NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(message_id) REFERENCES messages (id)
);
INSERT INTO "trials" VALUES(1,1,'me@tarnvale.example','sent',250,'taken','2026-11-29T02:46:55.505+00:00');
CREATE UNIQUE INDEX packages_by_run ON packages (run_id, "key");
CREATE INDEX ix_documents_package_id ON documents (package_id);
CREATE INDEX ix_messages_package_id ON messages (package_id);
CREATE INDEX ix_events_run_id ON events (run_id);
CREATE INDEX ix_events_package_id ON events (package_id);
CREATE INDEX ix_deliveries_message_id ON deliveries (message_id);
CREATE INDEX ix_trials_message_id ON trials (message_id);
COMMIT;
