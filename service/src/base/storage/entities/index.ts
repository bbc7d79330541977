import { AccessKeyEntity } from "./access-key.ts";
import { AccountEntity } from "./account.ts";
import { AppQuestionEntity } from "./app-question.ts";
import { AppEntity, AppKeyEntity } from "./app.ts";
import { AskedMailEntity } from "./asked-mail.ts";
import { AuthenticatorEntity } from "./authenticator.ts";
import { AuthorizationCodeEntity } from "./authorization-code.ts";
import { CheckTokenEntity } from "./check-token.ts";
import { DeliveryEntity } from "./delivery.ts";
import { FormerPasswordEntity } from "./former-password.ts";
import { HeldAddressEntity } from "./held-address.ts";
import { HeldUsernameEntity } from "./held-username.ts";
import { ImportedPasswordEntity, IntakeEntity, IntakeRefusalEntity, RecipeEntity } from "./intake.ts";
import { JournalChainEntity } from "./journal-chain.ts";
import { JournalEntryEntity } from "./journal-entry.ts";
import { KnownDeviceEntity } from "./known-device.ts";
import { MailLinkEntity } from "./mail-link.ts";
import { MailEntity } from "./mail.ts";
import { MovedClockEntity } from "./moved-clock.ts";
import { PasskeyChallengeEntity } from "./passkey-challenge.ts";
import { PasskeyEntity } from "./passkey.ts";
import { PasswordRecordEntity } from "./password-record.ts";
import { RecoveryCodeEntity } from "./recovery-code.ts";
import { RegistrationEntity } from "./registration.ts";
import { SchemeCountEntity } from "./scheme-count.ts";
import { SessionEntity } from "./session.ts";
import { SignInCountEntity } from "./sign-in-count.ts";
import { SignInEntity } from "./sign-in.ts";
import { ThrottleCountEntity } from "./throttle-count.ts";

export * from "./access-key.ts";
export * from "./account.ts";
export * from "./app.ts";
export * from "./app-question.ts";
export * from "./asked-mail.ts";
export * from "./authenticator.ts";
export * from "./authorization-code.ts";
export * from "./check-token.ts";
export * from "./delivery.ts";
export * from "./former-password.ts";
export * from "./held-address.ts";
export * from "./held-username.ts";
export * from "./intake.ts";
export * from "./journal-chain.ts";
export * from "./journal-entry.ts";
export * from "./known-device.ts";
export * from "./mail.ts";
export * from "./mail-link.ts";
export * from "./moved-clock.ts";
export * from "./passkey.ts";
export * from "./passkey-challenge.ts";
export * from "./password-record.ts";
export * from "./queued.ts";
export * from "./recovery-code.ts";
export * from "./registration.ts";
export * from "./scheme-count.ts";
export * from "./session.ts";
export * from "./sign-in.ts";
export * from "./sign-in-count.ts";
export * from "./throttle-count.ts";

/** Every table, listed by hand. */
export const ENTITIES = [
  AccessKeyEntity,
  AccountEntity,
  AppEntity,
  AppKeyEntity,
  AppQuestionEntity,
  AskedMailEntity,
  AuthenticatorEntity,
  AuthorizationCodeEntity,
  CheckTokenEntity,
  DeliveryEntity,
  FormerPasswordEntity,
  HeldAddressEntity,
  HeldUsernameEntity,
  ImportedPasswordEntity,
  IntakeEntity,
  IntakeRefusalEntity,
  RecipeEntity,
  JournalChainEntity,
  JournalEntryEntity,
  KnownDeviceEntity,
  MailEntity,
  MailLinkEntity,
  MovedClockEntity,
  PasskeyEntity,
  PasskeyChallengeEntity,
  PasswordRecordEntity,
  RecoveryCodeEntity,
  RegistrationEntity,
  SchemeCountEntity,
  SessionEntity,
  SignInEntity,
  SignInCountEntity,
  ThrottleCountEntity,
];
