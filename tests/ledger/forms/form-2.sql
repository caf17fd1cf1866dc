BEGIN TRANSACTION;
CREATE TABLE about (
	version INTEGER NOT NULL
);
INSERT INTO "about" VALUES(2);
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
INSERT INTO "deliveries" VALUES(1,1,'f00042@members.tarnvale.example','sent',250,'taken','2026-11-29T02:47:00.484+00:00',1);
INSERT INTO "deliveries" VALUES(2,2,'f117@members.tarnvale.example','unsure',NULL,'connection lost before the answer','2026-11-29T02:47:00.491+00:00',1);
INSERT INTO "deliveries" VALUES(3,3,'f118@members.tarnvale.example','waiting',NULL,'',NULL,0);
INSERT INTO "deliveries" VALUES(4,4,'f119@members.tarnvale.example','refused',550,'no such box','2026-11-29T02:47:00.495+00:00',0);
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
	content VARCHAR(64) NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(package_id) REFERENCES packages (id)
);
INSERT INTO "documents" VALUES(1,1,'00042 statement.pdf','statement','pdf','9e7d8ddc724e8beba69af7220c44606db259237338dab4b21b719f9752c5c884',29058,1,1,'9e7d8ddc724e8beba69af7220c44606db259237338dab4b21b719f9752c5c884');
INSERT INTO "documents" VALUES(2,2,'117 statement.pdf','statement','pdf','94017afd61fe14e99c0c0159764215581818410450ad5b194fdf4aec22c68de0',29059,1,1,'94017afd61fe14e99c0c0159764215581818410450ad5b194fdf4aec22c68de0');
INSERT INTO "documents" VALUES(3,3,'118 statement.pdf','statement','pdf','18c40dcef8ca4a70e99cffd51668f7757758436bf62b43eb28e9088b34ff0718',29058,1,1,'18c40dcef8ca4a70e99cffd51668f7757758436bf62b43eb28e9088b34ff0718');
INSERT INTO "documents" VALUES(4,4,'119 statement.pdf','statement','pdf','1e10c2cf3c6ea088e228663f1e1911da90bcc12a32ac26fd72ceae18fdec4398',29056,1,1,'1e10c2cf3c6ea088e228663f1e1911da90bcc12a32ac26fd72ceae18fdec4398');
INSERT INTO "documents" VALUES(5,5,'120 statement.pdf','statement','pdf','3d9aa25055435f30b79818f2182cb792d3811c1b53af47c65c03bf5f42d9a920',29057,1,1,'3d9aa25055435f30b79818f2182cb792d3811c1b53af47c65c03bf5f42d9a920');
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
INSERT INTO "events" VALUES(1,1,NULL,'2026-11-29T02:46:58.305+00:00','preparing');
INSERT INTO "events" VALUES(2,1,1,'2026-11-29T02:46:58.352+00:00','ready');
INSERT INTO "events" VALUES(3,1,2,'2026-11-29T02:46:58.353+00:00','ready');
INSERT INTO "events" VALUES(4,1,3,'2026-11-29T02:46:58.353+00:00','held: more than the tank holds');
INSERT INTO "events" VALUES(5,1,4,'2026-11-29T02:46:58.353+00:00','ready');
INSERT INTO "events" VALUES(6,1,5,'2026-11-29T02:46:58.354+00:00','ready');
INSERT INTO "events" VALUES(7,1,NULL,'2026-11-29T02:46:58.363+00:00','prepared');
INSERT INTO "events" VALUES(8,1,1,'2026-11-29T02:46:59.412+00:00','trial to me@tarnvale.example: sent');
INSERT INTO "events" VALUES(9,1,1,'2026-11-29T02:47:00.487+00:00','f00042@members.tarnvale.example: sent (250 taken)');
INSERT INTO "events" VALUES(10,1,2,'2026-11-29T02:47:00.492+00:00','f117@members.tarnvale.example: unsure (connection lost before the answer)');
INSERT INTO "events" VALUES(11,1,4,'2026-11-29T02:47:00.495+00:00','f119@members.tarnvale.example: refused (550 no such box)');
CREATE TABLE messages (
	id INTEGER NOT NULL, 
	package_id INTEGER NOT NULL, 
	message_id VARCHAR NOT NULL, 
	called VARCHAR NOT NULL, 
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
INSERT INTO "messages" VALUES(1,1,'<e418cd618ea39ba9a717441034fdc6af@tarnvale.example>','standard','Statement','statements@tarnvale.example','["f00042@members.tarnvale.example"]','[]','[]','bcf617c38abbe5dc755ef55b6b70ad5d9fa9156848ba53c36f1597d451d785d7');
INSERT INTO "messages" VALUES(2,2,'<531c8617ff128d61c7e256c9d81d08bb@tarnvale.example>','standard','Statement','statements@tarnvale.example','["f117@members.tarnvale.example"]','[]','[]','2cbd867cedb19df79dacd25b1d418b0cc373282847bd85067a932e2b7386c10e');
INSERT INTO "messages" VALUES(3,3,'<22f9199a664a4b2fad351c7abd6cd310@tarnvale.example>','standard','Statement','statements@tarnvale.example','["f118@members.tarnvale.example"]','[]','[]','ad4188acb8c78780e3eccc4017b86c709b36795f11b292570ab31656e5db569a');
INSERT INTO "messages" VALUES(4,4,'<f8f5d67887e3a6d0445a1b723ee84577@tarnvale.example>','standard','Statement','statements@tarnvale.example','["f119@members.tarnvale.example"]','[]','[]','dbe8e8e4ffff210c1e036e1fe2a1011952a4e4cf52c837694135618853b06e2c');
INSERT INTO "messages" VALUES(5,5,'<a5ffd31cdc2ff9d932e8e60fb9698e23@tarnvale.example>','standard','Statement','statements@tarnvale.example','["f120@members.tarnvale.example"]','[]','[]','2463cd8eabf3c28ab8db902b25fed8a1f37c72887fee9d8a05d58c93539114a9');
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
	steps JSON NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(run_id) REFERENCES runs (id)
);
INSERT INTO "packages" VALUES(1,1,'00042','Farm 00042','sent','',1,'{"rows": "1", "payable": "588.05"}','[]','df95a808b1c75d68bc0964eaa9d4f41745f45dd94b0356cf904598b4a8d20f0a','[["a lot", false, [], []]]');
INSERT INTO "packages" VALUES(2,1,'117','Farm 117','unsure','f117@members.tarnvale.example: connection lost before the answer',1,'{"rows": "1", "payable": "392.40"}','[]','a240a98ae74d59993b1f90683d84f8d03474117fec20d163a3349b60a059f802','[["a lot", false, [], []]]');
INSERT INTO "packages" VALUES(3,1,'118','Farm 118','held','more than the tank holds',1,'{"rows": "1", "payable": "3136.00"}','[]','055edaa54c38fc6ed79f9f00a90eeed25cd2ebcefda1c605f55c0c5a917f3bf6','[["a lot", true, ["hold: more than the tank holds"], []]]');
INSERT INTO "packages" VALUES(4,1,'119','Farm 119','failed','f119@members.tarnvale.example: no such box',1,'{"rows": "1", "payable": "10.00"}','[]','8320eadf7cf388eb35a54ed02d8378b25e171ffc15c72a9f323fe6b35827e525','[["a lot", false, [], []]]');
INSERT INTO "packages" VALUES(5,1,'120','Farm 120','ready','',1,'{"rows": "1", "payable": "11.00"}','[]','255a183249e5e08539cc7b5038016498e0e2e754965b04336e76f4f18337ca38','[["a lot", false, [], []]]');
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
INSERT INTO "runs" VALUES(1,'statements','Milk statements','0b081564f586bbb590afdbc74890ef0229cc3220569cd36b266c196f525fb345','prepared','2026-11-05','2026-11-29T02:46:58.303+00:00',335,'{"period": "2026-10"}','{"read": 5, "delivered": 4, "withheld": {"rule": 1}, "controls": [{"column": "amount", "whole": "4137.45", "delivered": "1001.45", "withheld": "3136.00"}]}','[]','office',NULL);
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
INSERT INTO "trials" VALUES(1,1,'me@tarnvale.example','sent',250,'taken','2026-11-29T02:46:59.411+00:00');
CREATE UNIQUE INDEX packages_by_run ON packages (run_id, "key");
CREATE INDEX ix_documents_package_id ON documents (package_id);
CREATE INDEX ix_messages_package_id ON messages (package_id);
CREATE INDEX ix_events_run_id ON events (run_id);
CREATE INDEX ix_events_package_id ON events (package_id);
CREATE INDEX ix_deliveries_message_id ON deliveries (message_id);
CREATE INDEX ix_trials_message_id ON trials (message_id);
COMMIT;
